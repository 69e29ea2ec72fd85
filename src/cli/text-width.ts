// How many columns a text takes in a terminal. The build puts the package into ours, in one file with what it needs.
export { default as textWidth } from 'string-width';

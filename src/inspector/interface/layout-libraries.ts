// The library that lays out the picture of a model. In the package it stands in a bundle, which takes the place of this file.
export { Graph, layout } from '@dagrejs/dagre';

// The libraries that the interface is made of. In the package they stand in one bundle, which takes the place of this file:
// whoever installs Floe installs none of them.
export { html, LitElement, noChange, nothing, svg, css, type TemplateResult } from 'lit';
export { classMap } from 'lit/directives/class-map.js';
export { Directive, directive, type ElementPart } from 'lit/directive.js';
export { repeat } from 'lit/directives/repeat.js';
export { ref, createRef, type Ref } from 'lit/directives/ref.js';
export { VirtualizerController } from '@tanstack/lit-virtual';
export { utcTicks } from 'd3-time';

// Style properties of an element, set one by one: a style attribute would break a strict Content Security Policy.
import { Directive, directive, noChange, type ElementPart } from './libraries.js';

type Properties = Readonly<Record<string, string>>;

class StyleOf extends Directive {
  private before: Properties = {};

  override render(_properties: Properties): unknown {
    return noChange;
  }

  override update(part: ElementPart, [properties]: [Properties]): unknown {
    const { style } = part.element as HTMLElement;
    for (const name of Object.keys(this.before)) if (!(name in properties)) style.removeProperty(name);
    for (const [name, value] of Object.entries(properties))
      if (this.before[name] !== value) style.setProperty(name, value);
    this.before = properties;
    return noChange;
  }
}

/** Stands where an attribute would: `<div ${styleOf({ height })}>`. */
export const styleOf = directive(StyleOf);

// The model as a picture: stores, actions, selectors and tasks, and what reads or handles what. The chosen moment lights up its path.
import { html, nothing, svg, type TemplateResult } from './libraries.js';
import type { ModelPath, ModelShown } from '../ends/index.js';
import type { Arrow, ModelParts, ModelPicture, PartBox, PartEdge } from './model-layout.js';
import { copy, define, Part, run } from './part.js';
import { styleOf } from './style-of.js';

type Layout = typeof import('./model-layout.js');

/** A larger model is shown in part: the moment's path, or what is chosen, with its neighbours. */
const MOST_PARTS = 80;
/** Shares of the natural size. */
const SCALES = [0.4, 0.55, 0.7, 0.85, 1, 1.25, 1.5];

/** What is drawn, of how many parts in all. */
interface Drawn {
  readonly key: string;
  readonly parts: ModelParts;
  readonly picture: ModelPicture;
  readonly total: number;
  /** The parts that took part in the moment. */
  readonly lit: ReadonlySet<string>;
}

class ModelView extends Part {
  static override properties = {
    ...Part.properties,
    model: { state: true },
    path: { state: true },
    chosen: { state: true },
    scale: { state: true },
    near: { state: true },
    layout: { state: true },
  };
  declare model: ModelShown | undefined;
  declare path: ModelPath | undefined;
  /** What the user chose: the identity of a part, or the type of an action. */
  declare chosen: { readonly id: string; readonly type?: string } | undefined;
  declare scale: number | undefined;
  /** Only what the moment touches, or the chosen part with its neighbours. Default: where there is little room. */
  declare near: boolean | undefined;
  /** The library is loaded when the picture is opened. */
  declare layout: Layout | undefined;
  private drawn: Drawn | undefined;
  private shownFor = '';

  override connectedCallback(): void {
    super.connectedCallback();
    void import('./model-layout.js').then((layout) => (this.layout = layout));
  }

  override willUpdate(): void {
    super.willUpdate();
    const { session } = this;
    if (!session.can('model')) return;
    const { status, moment } = session;
    if (!moment) return;
    this.askWhen(
      JSON.stringify([status?.revision, moment.number]),
      async () => {
        // The model grows with what is read and done for the first time: it is asked for with each moment, not with each step.
        const isNew = this.model === undefined || this.modelAt !== moment.number;
        this.modelAt = moment.number;
        const model = isNew ? await session.ask('model', {}) : this.model;
        return { model, path: await session.ask('modelPath', { number: moment.number }) };
      },
      ({ model, path }) => {
        this.model = model;
        this.path = path;
      },
    );
  }
  private modelAt: number | undefined;

  /** The picture, laid out again only where its parts are others. */
  private drawing(layout: Layout, model: ModelShown): Drawn {
    const { chosen, path, near = false } = this;
    const all = layout.partsOf(model, { path, rows: 'most' });
    const isNear = near || all.parts.size > MOST_PARTS;
    const whole = isNear && !chosen ? layout.partsOf(model, { path, rows: 'lit' }) : all;
    const ids = chosen ? layout.neighbours(whole, chosen.id) : layout.litParts(whole, path);
    const parts = isNear ? layout.only(whole, ids) : whole;
    const key = JSON.stringify([[...parts.parts.values()], parts.arrows]);
    const picture = this.drawn?.key === key ? this.drawn.picture : layout.pictureOf(parts);
    return (this.drawn = { key, parts, picture, total: all.parts.size, lit: layout.litParts(parts, path) });
  }

  override render(): TemplateResult {
    const { session, layout, model } = this;
    if (!session.can('model')) return html`<p class="quiet">${session.missing('model')}</p>`;
    if (!layout || !model) return html`<p class="quiet">Drawing …</p>`;
    const { parts, picture, total, lit } = this.drawing(layout, model);
    return html`
      ${this.bar(lit.size, total, picture)} ${this.chosen ? this.detail(model, parts) : nothing}
      ${this.canvas(picture, lit)}
      <p class="quiet legend">
        Stores have corners and list their actions, selectors are round, tasks have a bar; a dashed arrow leads from
        what is read to its reader.
      </p>
    `;
  }

  private bar(touched: number, total: number, picture: ModelPicture): TemplateResult {
    return html` <div class="panel-bar">
      <span class="quiet"
        >${touched === 0 ? 'The moment touches no' : `The moment touches ${touched} of ${total}`} parts</span
      >
      ${
        total > MOST_PARTS
          ? html`<span class="quiet"
              >Of ${total} parts, ${this.chosen ? 'the chosen one with its neighbours' : 'those of the moment'} are
              drawn.</span
            >`
          : html`<label
              ><input
                type="checkbox"
                .checked=${this.near ?? false}
                @change=${(event: Event) => (this.near = (event.target as HTMLInputElement).checked)}
              />Only ${this.chosen ? 'the chosen part with its neighbours' : 'what the moment touches'}</label
            >`
      }
      <span class="model-zoom" role="group" aria-label="Size of the picture">
        <button aria-label="Smaller" title="Smaller" @click=${() => this.zoom(-1)}>−</button
        ><button aria-label="Larger" title="Larger" @click=${() => this.zoom(1)}>+</button
        ><button aria-label="Fit" title="Fit" @click=${() => this.fit(picture)}>⤢</button>
      </span>
    </div>`;
  }

  private canvas(picture: ModelPicture, lit: ReadonlySet<string>): TemplateResult {
    const { scale = 1 } = this;
    return html`<div class="model-scroll" tabindex="0" role="group" aria-label="Picture of the model">
      <div
        class="model-room"
        ${styleOf({ width: `${picture.width * scale}px`, height: `${picture.height * scale}px` })}
      >
        <div
          class="model-picture"
          ${styleOf({ width: `${picture.width}px`, height: `${picture.height}px`, transform: `scale(${scale})` })}
        >
          <svg width=${picture.width} height=${picture.height} aria-hidden="true">
            <defs>
              <marker
                id="head"
                viewBox="0 0 8 8"
                refX="7"
                refY="4"
                markerUnits="userSpaceOnUse"
                markerWidth="8"
                markerHeight="8"
                orient="auto"
              >
                <path d="M 0 0 L 8 4 L 0 8 z"></path>
              </marker>
            </defs>
            ${[...picture.edges].sort((a, b) => Number(isLit(a, lit)) - Number(isLit(b, lit))).map((edge) => this.edge(edge, lit))}
          </svg>
          ${picture.boxes.map((box) => this.box(box, lit))}
        </div>
      </div>
    </div>`;
  }

  private edge(edge: PartEdge, lit: ReadonlySet<string>): TemplateResult {
    const { from, to, verb, type, path } = edge;
    const { chosen } = this;
    const isOfChosen =
      chosen !== undefined &&
      (from === chosen.id || to === chosen.id) &&
      (chosen.type === undefined || chosen.type === type);
    return svg`<path class="model-arrow ${isLit(edge, lit) ? 'lit' : ''} ${isOfChosen ? 'chosen' : ''} ${verb === 'reads' ? 'reads' : ''}" d=${path} marker-end="url(#head)"></path>`;
  }

  private box(box: PartBox, lit: ReadonlySet<string>): TemplateResult {
    const { id, kind, name, rows, moreRows, x, y, width, height } = box;
    const { chosen, path } = this;
    const isChosen = chosen?.id === id;
    const place = { left: `${x}px`, top: `${y}px`, width: `${width}px`, height: `${height}px` };
    return html`<div
      class="model-part ${kind} ${lit.has(id) ? 'lit' : ''} ${isChosen ? 'chosen' : ''}"
      ${styleOf(place)}
    >
      <button
        class="part-name"
        title="${kind} ${name}"
        aria-pressed=${isChosen && chosen?.type === undefined}
        @click=${() => this.choose({ id })}
      >
        <span class="for-readers">${kind}${lit.has(id) ? ', in the moment' : ''}: </span>${name}
      </button>
      ${rows.map(
        (type) =>
          html`<button
            class="part-row ${path?.actions.includes(type) ? 'lit' : ''}"
            title="action ${type}"
            aria-pressed=${chosen?.type === type}
            @click=${() => this.choose({ id, type })}
          >
            ${type.slice(name.length + 1)}
          </button>`,
      )}
      ${moreRows > 0 ? html`<span class="part-row quiet">and ${moreRows} more</span>` : nothing}
    </div>`;
  }

  private choose(one: { readonly id: string; readonly type?: string }): void {
    const { chosen } = this;
    this.chosen = chosen?.id === one.id && chosen.type === one.type ? undefined : one;
  }

  /** What the chosen part is called in the code, what it has to do with others, and where its values and steps are. */
  private detail(model: ModelShown, { parts, arrows }: ModelParts): TemplateResult | typeof nothing {
    const { id, type } = this.chosen!;
    const part = parts.get(id);
    if (!part) return nothing;
    const { kind, name } = type === undefined ? part : { kind: 'action' as const, name: type };
    const said = arrows
      .filter((one) => (one.from === id || one.to === id) && (type === undefined || one.type === type))
      .map((one) => sentenceOf(one, (of) => (of === (type ?? id) ? 'it' : (parts.get(of)?.name ?? of))));
    const rules = kind === 'store' ? (model.stores.find((one) => one.name === name)?.rules ?? []) : [];
    return html`<div class="part-detail" role="group" aria-label="${kind} ${name}">
      <b>${name}</b> <span class="quiet">${kind}</span>
      ${this.ways(kind, name)}
      <button @click=${() => run(copy(name, this.session, `“${name}”`))}>Copy name</button>
      ${said.length === 0 ? nothing : html`<span class="quiet">${said.slice(0, 8).join(' · ')}${said.length > 8 ? ` · and ${said.length - 8} more` : ''}</span>`}
      ${rules.length === 0 ? nothing : html`<span class="quiet">rules: ${rules.join(' · ')}</span>`}
    </div>`;
  }

  private ways(kind: PartBox['kind'], name: string): TemplateResult {
    const { session } = this;
    switch (kind) {
      case 'store':
        return html`<button
            @click=${() => {
              session.openPlaces.add(`/${name}`);
              session.showPlace(`/${name}`, 'model');
            }}
          >
            Its values</button
          ><button @click=${() => session.lookFor({ store: name })}>Its steps</button>`;
      case 'action':
        return html`<button @click=${() => session.lookFor({ text: name })}>Its steps</button>`;
      case 'selector':
        return html`<button @click=${() => session.showNamed('derived', name)}>Its values</button>`;
      case 'task':
        return html`<button @click=${() => session.showNamed('tasks', name)}>Its runs</button
          ><button @click=${() => session.lookFor({ text: name })}>Its steps</button>`;
    }
  }

  private zoom(by: number): void {
    const at = SCALES.findIndex((scale) => scale >= (this.scale ?? 1) - 0.001);
    this.scale = SCALES[Math.max(0, Math.min(SCALES.length - 1, (at < 0 ? SCALES.length - 1 : at) + by))];
  }
  private fit({ width, height }: ModelPicture): void {
    const room = this.querySelector('.model-scroll');
    if (!room || width === 0 || height === 0) return;
    this.scale = Math.max(0.25, Math.min(1, room.clientWidth / width, room.clientHeight / height));
  }

  override updated(): void {
    const { drawn, session } = this;
    if (!drawn) return;
    const room = this.querySelector('.model-scroll');
    if (!room) return;
    this.near ??= room.clientHeight < LITTLE_ROOM;
    // At first as much of it as can be read; and each moment's path is brought into sight.
    this.scale ??= Math.max(0.7, Math.min(1, room.clientWidth / Math.max(1, drawn.picture.width)));
    const key = JSON.stringify([session.moment?.number, this.path?.actions, drawn.key.length, this.scale]);
    if (key === this.shownFor) return;
    this.shownFor = key;
    this.showLit(room, drawn, this.scale);
  }

  /** Moves what the moment touches into sight, as far as it fits. */
  private showLit(room: Element, { picture: { boxes }, lit }: Drawn, scale: number): void {
    const places = boxes.filter(({ id }) => lit.has(id));
    if (places.length === 0) return;
    const [left, top] = [Math.min(...places.map(({ x }) => x)) * scale, Math.min(...places.map(({ y }) => y)) * scale];
    const right = Math.max(...places.map(({ x, width }) => x + width)) * scale;
    const bottom = Math.max(...places.map(({ y, height }) => y + height)) * scale;
    const { scrollLeft, scrollTop, clientWidth, clientHeight } = room;
    const isIn =
      left >= scrollLeft && right <= scrollLeft + clientWidth && top >= scrollTop && bottom <= scrollTop + clientHeight;
    if (!isIn) room.scrollTo({ left: left - BESIDE, top: top - BESIDE });
  }
}

/** Pixels: a lower picture begins with the moment's path alone; and what stays free beside a path. */
const LITTLE_ROOM = 300;
const BESIDE = 16;

/** `port.assignBerth dispatches port.berthAssigned`, with `it` for the chosen one. */
function sentenceOf({ from, to, verb, type }: Arrow, nameOf: (id: string) => string): string {
  switch (verb) {
    case 'reads':
      return `${nameOf(to)} reads ${nameOf(from)}`;
    case 'dispatches':
      return `${nameOf(from)} dispatches ${nameOf(type!)}`;
    default:
      // An action that belongs to no store is a part itself.
      return `${nameOf(from === `action ${type}` ? from : type!)} ${verb} ${nameOf(to)}`;
  }
}

const isLit = ({ from, to }: PartEdge, lit: ReadonlySet<string>): boolean => lit.has(from) && lit.has(to);

export const defineModel = (): void => define('floe-model', ModelView);

// Where the parts of a model stand in its picture, from left to right: what acts, what holds state, what is derived from it.
import type { ModelPath, ModelShown } from '../ends/index.js';
import { Graph, layout } from './layout-libraries.js';

/** A task dispatches an action of a store, an action starts a task or changes a store, and a selector reads what the arrow begins at. */
export type ArrowVerb = 'dispatches' | 'starts' | 'changes' | 'reads';

export type PartKind = 'store' | 'action' | 'selector' | 'task';

/** A part of the model in the picture; pixels. */
export interface PartBox {
  readonly id: string;
  readonly kind: PartKind;
  readonly name: string;
  /** Of a store: its actions, by type. */
  readonly rows: readonly string[];
  /** How many of its actions have no row. */
  readonly moreRows: number;
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}
export interface PartEdge {
  readonly from: string;
  readonly to: string;
  readonly verb: ArrowVerb;
  /** The type of the action that it is about. */
  readonly type?: string;
  readonly path: string;
}
export interface ModelPicture {
  readonly boxes: readonly PartBox[];
  readonly edges: readonly PartEdge[];
  readonly width: number;
  readonly height: number;
}

type Part = Pick<PartBox, 'id' | 'kind' | 'name' | 'rows' | 'moreRows'>;
export type Arrow = Omit<PartEdge, 'path'>;

/** Parts and arrows, before they are laid out. */
export interface ModelParts {
  readonly parts: ReadonlyMap<string, Part>;
  readonly arrows: readonly Arrow[];
  /** The part that an action belongs to: its store, or itself. */
  readonly homeOf: ReadonlyMap<string, string>;
}

/** So many actions of a store have a row of their own. */
const MOST_ROWS = 8;

const own = (type: string, store: string): string =>
  type.startsWith(`${store}.`) ? type.slice(store.length + 1) : type;

/** What is drawn: with `rows: 'lit'`, only the actions that take part in the moment stand below their stores. */
interface PartsHow {
  readonly path: ModelPath | undefined;
  readonly rows: 'most' | 'lit';
}

export function partsOf({ stores, selectors, tasks, dispatched }: ModelShown, { path, rows }: PartsHow): ModelParts {
  const parts = new Map<string, Part>();
  const homeOf = new Map<string, string>();
  const arrows = new Map<string, Arrow>();
  const add = (id: string, kind: PartKind, name: string, more: Partial<Part> = {}): void => {
    if (!parts.has(id)) parts.set(id, { id, kind, name, rows: [], moreRows: 0, ...more });
  };
  const arrow = (from: string | undefined, to: string | undefined, verb: ArrowVerb, type?: string): void => {
    if (from !== undefined && to !== undefined && from !== to && parts.has(from) && parts.has(to))
      arrows.set(`${from} ${verb} ${type} ${to}`, { from, to, verb, ...(type !== undefined && { type }) });
  };
  const lit = new Set(path?.actions);
  for (const { name, actions } of stores) {
    const inMoment = actions.filter((type) => lit.has(type));
    const others = rows === 'lit' && inMoment.length > 0 ? [] : actions.filter((type) => !lit.has(type));
    const first = new Set([...inMoment, ...others].slice(0, MOST_ROWS));
    // In the order in which they are declared.
    const shown = actions.filter((type) => first.has(type));
    add(`store ${name}`, 'store', name, { rows: shown, moreRows: actions.length - shown.length });
    for (const type of actions) homeOf.set(type, `store ${name}`);
  }
  const home = (type: string): string => {
    const known = homeOf.get(type);
    if (known !== undefined) return known;
    const id = `action ${type}`;
    add(id, 'action', type);
    homeOf.set(type, id);
    return id;
  };
  for (const { name } of selectors) add(`selector ${name}`, 'selector', name);
  for (const { name } of tasks) add(`task ${name}`, 'task', name);
  const sourceOf = (name: string): string | undefined =>
    [`selector ${name}`, `store ${name}`, `task ${name.replace(/\.status$/, '')}`].find((id) => parts.has(id));
  for (const { name, handles } of stores)
    for (const type of handles) arrow(home(type), `store ${name}`, 'changes', type);
  for (const { name, reads } of selectors) for (const read of reads) arrow(sourceOf(read), `selector ${name}`, 'reads');
  for (const { name, when } of tasks) for (const type of when) arrow(home(type), `task ${name}`, 'starts', type);
  for (const [name, types] of Object.entries(dispatched))
    for (const type of types) arrow(`task ${name}`, home(type), 'dispatches', type);
  return { parts, arrows: [...arrows.values()], homeOf };
}

/** The parts that took part in a moment. */
export function litParts({ parts, homeOf }: ModelParts, path: ModelPath | undefined): ReadonlySet<string> {
  const ids = [
    ...(path?.actions ?? []).map((type) => homeOf.get(type) ?? ''),
    ...(path?.stores ?? []).map((name) => `store ${name}`),
    ...(path?.selectors ?? []).map((name) => `selector ${name}`),
    ...(path?.tasks ?? []).map((name) => `task ${name}`),
  ];
  return new Set(ids.filter((id) => parts.has(id)));
}

/** A part with its neighbours. */
export function neighbours({ arrows }: ModelParts, id: string): ReadonlySet<string> {
  return new Set([id, ...arrows.flatMap(({ from, to }) => (from === id ? to : to === id ? from : []))]);
}

/** Some of the parts, with the arrows between them. */
export function only(whole: ModelParts, kept: ReadonlySet<string>): ModelParts {
  return {
    parts: new Map([...whole.parts].filter(([id]) => kept.has(id))),
    arrows: whole.arrows.filter(({ from, to }) => kept.has(from) && kept.has(to)),
    homeOf: whole.homeOf,
  };
}

/** Pixels. */
const ROW = 20;
const LETTER = 7.4;
const AROUND = 26;
const LEAST = 64;
const MOST = 240;

function sizeOf({ kind, rows, moreRows, name }: Part): { readonly width: number; readonly height: number } {
  const texts = [name, ...rows.map((type) => own(type, name)), ...(moreRows > 0 ? [`and ${moreRows} more`] : [])];
  const width = Math.min(MOST, Math.max(LEAST, ...texts.map((text) => text.length * LETTER + AROUND)));
  const below = kind === 'store' ? rows.length + (moreRows > 0 ? 1 : 0) : 0;
  return { width: Math.round(width), height: 24 + below * ROW + (below > 0 ? 6 : 0) };
}

/** Lays the parts out (Gansner et al., A Technique for Drawing Directed Graphs, 1993, as dagre does it). */
export function pictureOf({ parts, arrows }: ModelParts): ModelPicture {
  const graph = new Graph({ multigraph: true });
  graph.setGraph({ rankdir: 'LR', nodesep: 12, edgesep: 6, ranksep: 56, marginx: 12, marginy: 12 });
  graph.setDefaultEdgeLabel(() => ({}));
  for (const part of parts.values()) graph.setNode(part.id, { ...sizeOf(part) });
  for (const arrow of arrows) graph.setEdge(arrow.from, arrow.to, {}, nameOf(arrow));
  layout(graph);
  const boxes = Array.from(parts.values(), (part): PartBox => {
    const { x, y, width, height } = graph.node(part.id) as Required<Record<'x' | 'y' | 'width' | 'height', number>>;
    return { ...part, x: x - width / 2, y: y - height / 2, width, height };
  });
  const edges = arrows.map((arrow): PartEdge => {
    const { points } = graph.edge(arrow.from, arrow.to, nameOf(arrow)) as { readonly points: readonly Point[] };
    return { ...arrow, path: curve(points) };
  });
  const { width = 0, height = 0 } = graph.graph() as { readonly width?: number; readonly height?: number };
  return { boxes, edges, width: Math.ceil(width), height: Math.ceil(height) };
}

/** Between two parts there may be several. */
const nameOf = ({ verb, type = '' }: Arrow): string => `${verb} ${type}`;

interface Point {
  readonly x: number;
  readonly y: number;
}

/** A line through the middles between the points, bent at them. */
function curve(points: readonly Point[]): string {
  const at = ({ x, y }: Point): string => `${x.toFixed(1)} ${y.toFixed(1)}`;
  const middle = (a: Point, b: Point): Point => ({ x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 });
  const [first, ...rest] = points;
  const bends = rest.slice(0, -1).map((point, i) => `Q ${at(point)} ${at(middle(point, rest[i + 1]))}`);
  return `M ${at(first)} ${bends.join(' ')} L ${at(points.at(-1)!)}`;
}

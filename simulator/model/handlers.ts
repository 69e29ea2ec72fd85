// What actions do to the states of all stores, on plain data: the model of a dispatch.
import { nameOf, type Blueprint } from '../application.js';
import { KINDS, type Edit, type KindName, type Payload } from '../edits.js';
import { Planned } from '../planned.js';
import { completed, ingested, TABLES } from './links.js';
import { plain, PlainTable, type Plain, type States } from './plain.js';

interface Handler {
  readonly store: string;
  readonly kind: KindName;
  readonly edit: Edit;
}

export class Handlers {
  private readonly byType = new Map<string, Handler[]>();
  /** The kinds of the stores, by name. */
  private readonly kinds = new Map<string, KindName>();

  constructor(blueprint: Blueprint) {
    const { stores } = blueprint;
    for (const [i, { kind }] of stores.entries()) this.store(nameOf(blueprint, i), kind);
    for (const [i, { kind, hears }] of stores.entries()) {
      const next = (i + 1) % stores.length;
      const [type] = Object.keys(KINDS[stores[next].kind].edits);
      if (hears && kind === 'tide' && next !== i)
        this.add(`${nameOf(blueprint, next)}.${type}`, {
          store: nameOf(blueprint, i),
          kind,
          edit: KINDS.tide.edits.raised,
        });
    }
  }

  /** Where one goes: what is not said is as it is at the beginning. */
  private went(payload: Plain): Plain {
    const { at, params = {}, query = {}, fragment = '', others = '' } = payload;
    return { at, params, query, fragment, others };
  }

  /** A store, or a copy of one under its own name. */
  store(name: string, kind: KindName): void {
    if (this.kinds.has(name)) return;
    this.kinds.set(name, kind);
    for (const [act, edit] of Object.entries(KINDS[kind].edits))
      this.add(`${name}.${act}`, { store: name, kind, edit });
    if (kind === 'tide') this.add('shiftEnded', { store: name, kind, edit: KINDS.tide.edits.raised });
    if (kind === 'board') this.add('shiftEnded', { store: name, kind, edit: KINDS.board.edits.reversed });
    if (kind !== 'port') return;
    const ingest: Edit = (state, payload) => ingested(state, payload);
    const merge: Edit = (state, payload) => {
      const { keys, rows } = payload as Plain;
      const [[type, [key]]] = Object.entries<string[]>(keys);
      if (!state[type].has(key)) throw new Planned(`there is no ${type} ${key}`);
      ingested(state, { keys, rows });
    };
    this.add(`${name}.ingest`, { store: name, kind, edit: ingest });
    this.add(`${name}.merge`, { store: name, kind, edit: merge });
  }

  /** A copy hears what its original hears. */
  copy(name: string, original: string): void {
    if (this.kinds.has(name)) return;
    for (const [type, handlers] of this.byType)
      for (const one of handlers.filter(({ store }) => store === original))
        if (type !== 'shiftEnded' && !type.startsWith(`${original}.`)) handlers.push({ ...one, store: name });
    this.store(name, this.kinds.get(original)!);
  }

  private add(type: string, handler: Handler): void {
    const known = this.byType.get(type);
    if (known) known.push(handler);
    else this.byType.set(type, [handler]);
  }

  /** The state that a store begins with. */
  begin(name: string, version: 1 | 2): Plain {
    const kind = this.kinds.get(name)!;
    if (kind === 'port') return Object.fromEntries(TABLES.map((type) => [type, new PlainTable()]));
    return { ...KINDS[kind].begin(), ...(version === 2 && { unit: 'm' }) };
  }

  /** @throws Planned where an edit refuses; then the states are as they were */
  apply(type: string, payload: unknown, states: States): States {
    const result = { ...states };
    if (type === 'address.went' && Object.hasOwn(states, 'address')) result.address = this.went(plain(payload));
    for (const { store, kind, edit } of this.byType.get(type) ?? []) {
      if (!Object.hasOwn(states, store)) continue;
      const before = result[store];
      const state = plain(before);
      // Handlers of several stores get one payload: none may keep a part of it.
      const returned = edit(state, plain(payload) as Payload);
      if (kind === 'port') completed(before, state);
      result[store] = returned === undefined ? state : plain(returned);
    }
    return result;
  }

  knows(type: string): boolean {
    return this.byType.has(type) || type === 'address.went';
  }
}

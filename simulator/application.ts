// An application as data: which stores it has, and what belongs to it. It is declared by Floe's public interface here, and
// in `model/handlers.ts` on plain data.
import type { ActionCreator, AnyAction, AnyStore, AnyTask, Conflict, Interceptor, Source, TaskContext } from 'floe';
import { KINDS, type KindName, type Payload } from './edits.js';
import type { Library } from './library.js';
import type { Plain } from './model/plain.js';
import { declareTasks } from './tasks.js';

export interface StoreBlueprint {
  readonly kind: KindName;
  readonly kept: 'nothing' | 'all' | 'some';
  readonly rule: 'none' | 'even' | 'throwing' | 'dispatching';
  /** It joins later. */
  readonly late: boolean;
  /** It handles the first action of the store after it. */
  readonly hears: boolean;
}

export interface Blueprint {
  readonly stores: readonly StoreBlueprint[];
  readonly invariants: 'report' | 'refuse';
  readonly limit: number;
  /** The trace sums up one kind of action. */
  readonly ignores: boolean;
  readonly redacts: boolean;
  readonly writesLines: boolean;
  readonly undo: boolean;
  readonly interceptors: readonly InterceptorName[];
  readonly overlap: 'allow' | 'replace' | 'queue' | 'ignore' | 'share';
  /** Functions of the application dispatch where they must not. */
  readonly naughty: boolean;
  /** A feature of the application throws in its hooks. */
  readonly faultyFeature: boolean;
  /** A store holds the address, and is tied to a bar. */
  readonly address: boolean;
  readonly initial: 'none' | 'whole' | 'partial';
  readonly place: 'none' | 'area' | 'later' | 'http';
  readonly tabs: boolean;
  /** Tabs choose the one that writes by messages alone, as in pages without the Web Locks API. */
  readonly elects: boolean;
  /** Actions only add: what was acknowledged must be there in the end, whoever else writes. */
  readonly gentle: boolean;
  /** Milliseconds in which changes are gathered. */
  readonly writeAfter: number;
}

export const INTERCEPTORS = [
  'stopping',
  'holding',
  'replacing',
  'throwing',
  'catching',
  'dispatching',
  'confirming',
] as const;
export type InterceptorName = (typeof INTERCEPTORS)[number];

/** What the application gets from the session that it runs in. */
export interface Hooks {
  /** Tries to dispatch where that is forbidden. */
  naughty(where: string): void;
  /** A response of the office. */
  ask(what: string): Promise<number>;
  /** A question to the user. */
  confirm(): Promise<boolean>;
  hold(held: { proceed(): unknown; stop(): void }): void;
  context(context: TaskContext): void;
  /** Dispatches beside the action that an interceptor decides. */
  dispatch(action: AnyAction): void;
}

export interface Declared {
  readonly name: string;
  readonly kind: KindName;
  readonly store: AnyStore;
  readonly creators: readonly ActionCreator<string, [payload: Payload]>[];
  readonly blueprint: StoreBlueprint;
}

export interface Application {
  readonly stores: readonly Declared[];
  readonly tasks: Readonly<Record<string, AnyTask>>;
  readonly need: { by(value: unknown): never };
  readonly interceptors: readonly Interceptor[];
  readonly sources: readonly { readonly name: string; readonly source: Source<unknown> }[];
  readonly shiftEnded: ActionCreator<string, [payload: Payload]>;
  /** An action of a store, by small numbers. */
  action(store: number, which: number, payload: Payload): AnyAction;
}

/** The store of the address. */
export const declareAddress = ({ location, text }: Library) =>
  location('address', { paths: { board: '/', visit: '/visits/:id' }, query: { day: text } });

export const nameOf = (blueprint: Blueprint, index: number): string => `${blueprint.stores[index].kind}${index}`;

/** A response of the office: a nested visit. */
export const visitOf = ({ x, note }: Payload): Plain => {
  const vessel = { hull: `h${x % 3}`, name: note, operator: x % 4 === 0 ? null : { id: `o${x % 2}`, name: note } };
  const place = x % 3 === 0 ? null : { kind: x % 3 === 1 ? 'berth' : 'anchorage', id: String(x % 3), depth: x % 2 };
  return { id: `v${x % 4}`, phase: x % 2 === 0 ? 'expected' : 'alongside', vessel, place, tugs: [`h${(x + 1) % 3}`] };
};

const CONFIRM = { confirm: 'Really?' };

/** @param version of what is kept: the second has one more field */
export function declare(floe: Library, blueprint: Blueprint, version: 1 | 2, hooks: Hooks): Application {
  const stores = blueprint.stores.map((one, i) => declareStore(floe, one, nameOf(blueprint, i), version, hooks));
  const shiftEnded = floe.action<Payload>('shiftEnded');
  for (const [i, { store, kind, blueprint: own }] of stores.entries()) {
    if (kind !== 'port') store.when(shiftEnded, KINDS[kind].edits[kind === 'tide' ? 'raised' : 'reversed'] as never);
    const next = stores[(i + 1) % stores.length];
    if (own.hears && kind === 'tide' && next.store !== store)
      store.when(next.creators[0], KINDS.tide.edits.raised as never);
  }
  const action = (store: number, which: number, payload: Payload): AnyAction => {
    const { creators, kind, store: declared } = stores[store % stores.length];
    const at = which % (creators.length + (kind === 'port' ? 3 : 1));
    if (at < creators.length) return creators[at](payload);
    if (kind !== 'port') return shiftEnded(payload);
    const tables = declared as never as { ingest(...args: unknown[]): AnyAction; merge(...args: unknown[]): AnyAction };
    if (at === creators.length) return tables.ingest('visit', visitOf(payload));
    return tables.merge('vessel', `h${payload.x % 3}`, { name: payload.note });
  };
  const { tasks, need } = declareTasks(floe, blueprint, stores, hooks);
  return {
    ...{ stores, tasks, need, shiftEnded, action },
    interceptors: blueprint.interceptors.map((name) => interceptor(floe, name, hooks, action)),
    sources: sourcesOf(floe, stores, hooks, blueprint.naughty),
  };
}

function declareStore(floe: Library, blueprint: StoreBlueprint, name: string, version: 1 | 2, hooks: Hooks): Declared {
  const { kind, rule, kept } = blueprint;
  const { begin, edits } = KINDS[kind];
  const store = (
    kind === 'port' ? declareTables(floe, name) : floe.store(name, version === 2 ? { ...begin(), unit: 'm' } : begin())
  ) as AnyStore;
  if (kept !== 'nothing')
    store.persisted({
      onConflict: bothWriters,
      ...(kept === 'some' && kind !== 'port' && { except: [kind === 'tide' ? 'last' : 'picked'] }),
      ...(kind !== 'port' && { version }),
      ...(kind !== 'port' && version === 2 && { upgrade: [(stored: Plain) => void (stored.unit = 'm')] }),
    });
  // A counter that two writers raised is raised by both.
  if (rule === 'even' && kind === 'tide') store.invariant('even', ({ n }: Plain) => n % 2 === 0);
  if (rule === 'throwing') store.invariant('throwing', ({ n }: Plain) => n !== 4 || Boolean(n.none.none));
  if (rule === 'dispatching')
    store.invariant('dispatching', () => {
      hooks.naughty('an invariant');
      return true;
    });
  const creators = Object.entries(edits).map(([action, edit]) =>
    // Written with a payload, so that each of them carries one.
    store.action(
      action,
      (draft: Plain, payload: Payload) => edit(draft, payload),
      action === 'doubled' ? { about: CONFIRM } : undefined,
    ),
  ) as never;
  return { name, kind, store, creators, blueprint };
}

/** What two writers added is added by both. */
function bothWriters({ place, before, own, stored }: Conflict): unknown {
  const isNumber = [before, own, stored].every((value) => typeof value === 'number');
  if (isNumber && place.endsWith('/n')) return (own as number) + (stored as number) - (before as number);
  if (!Array.isArray(own) || !Array.isArray(stored)) return own;
  const idOf = (item: Plain): unknown => item?.id ?? item;
  const known = new Set(stored.map(idOf));
  return [...stored, ...own.filter((item) => !known.has(idOf(item)))];
}

function declareTables(floe: Library, name: string): unknown {
  const { entity, rowOf, linkTo, byKind, listOf, tables } = floe;
  const row = rowOf<Plain>();
  const operator = entity('operator', row, { key: 'id' });
  const vessel = entity('vessel', row, { key: 'hull', links: { operator: linkTo(operator, { removed: 'unlink' }) } });
  const berth = entity('berth', row, { key: 'id' });
  const anchorage = entity('anchorage', row, { key: 'id' });
  const visit = entity('visit', row, {
    key: 'id',
    links: {
      vessel: linkTo(vessel, { removed: 'cascade' }),
      place: byKind('kind', { berth, anchorage }),
      tugs: listOf(linkTo(vessel, { removed: 'unlink' })),
    },
  });
  return tables(name, [operator, vessel, berth, anchorage, visit] as never);
}

function interceptor(floe: Library, name: InterceptorName, hooks: Hooks, action: Application['action']): Interceptor {
  if (name === 'confirming') return floe.confirmation(() => hooks.confirm());
  const least = 3 + INTERCEPTORS.indexOf(name);
  return (given, { proceed, stop }) => {
    const payload = given.payload as Payload | undefined;
    // Each minds some actions only.
    if (typeof payload?.x !== 'number' || payload.x % 11 !== least) return void proceed();
    if (name === 'stopping') stop('not now');
    else if (name === 'holding') hooks.hold({ proceed: () => proceed(), stop: () => stop('decided') });
    else if (name === 'replacing') proceed(action(0, 0, { x: 0, note: `${payload.note}x` }));
    else if (name === 'throwing') throw new Error('an interceptor threw on purpose');
    else if (name === 'dispatching') {
      hooks.dispatch(action(0, 1, { x: 0, note: `${payload.note}d` }));
      proceed();
    } else {
      try {
        proceed();
      } catch {
        // That the action failed is no reason for it to fail as well.
      }
    }
  };
}

function sourcesOf(floe: Library, stores: readonly Declared[], hooks: Hooks, naughty: boolean): Application['sources'] {
  const sources = stores.flatMap(({ name, store, kind }): Application['sources'][number][] => {
    if (kind === 'tide')
      return [
        { name: `${name} deep`, source: store.selector('deep', ({ n }: Plain) => n > 4)() as never },

        {
          name: `${name} shaky`,
          source: store.selector('shaky', ({ n, log }: Plain) => (n % 3 === 2 ? n.none.none : log.length))() as never,
        },
      ];
    if (kind === 'board')
      return [
        { name: `${name} first`, source: floe.at(store as never, '/list/0/sub/k' as never, 'nothing' as never) },
        {
          name: `${name} ids`,
          source: store.selector('ids', ({ list }: Plain) => list.map(({ id }: Plain) => id), {
            equal: ((a: Plain, b: Plain) => {
              if (naughty) hooks.naughty('equal');
              return a.length === b.length && a.every((id: string, i: number) => id === b[i]);
            }) as never,
          })() as never,
        },
      ];
    return [
      {
        name: `${name} visits`,
        source: (store as Plain).all('visit', { sort: 'phase', where: { phase: 'expected' } }),
      },
    ];
  });
  const whole = stores.map(({ name, store }) => ({ name, source: store as Source<unknown> }));
  const across = floe.selector(
    'across',
    (read) => stores.filter(({ store, kind }) => kind === 'tide' && (read(store) as Plain).n > 2).length,
  );
  return [...whole, ...sources, { name: 'across', source: across() as never }];
}

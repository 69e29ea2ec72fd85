// Copies of stores: the same definition once more, with a state of its own.
import { DERIVATION } from '../base/protocol.js';
import { notItsOwn } from '../base/errors.js';
import { makeCreator, type About, type ActionCreator, type AnyCreator } from './action.js';
import { nextId, selectorOf, type Derivation, type Source } from './source.js';
import { definitionOf, storeName, type Change, type Original, type Invariant, type StoreDefinition } from './store.js';
import type { AnyStore, Copied, COPIED, PersistOptions } from './store-types.js';

/** The type of an action, declared by one store, in another. */
type TypeIn<N extends string, T extends string> = T extends `${string}.${infer K}` ? `${N}.${K}` : never;

/** What a copy has besides what every store has. */
export interface Its<N extends string> {
  /**
   * The copy's own version of an action creator or a selector that the original store declared.
   * @throws FLOE_NOT_ITS_OWN for anything else
   */
  its<T extends string, A extends readonly unknown[]>(creator: ActionCreator<T, A>): ActionCreator<TypeIn<N, T>, A>;
  its<T>(selector: Source<T>): Source<T>;
  its<T, A extends readonly unknown[]>(selector: (...args: A) => Source<T>): (...args: A) => Source<T>;
}

/** A copy of a store under another name. */
export type CopyOf<T, L extends string> = Its<L> &
  (T extends { readonly [COPIED]?: infer F extends Copied } ? (F & { readonly label: L })['copy'] : never);

/**
 * The same definition once more, under its own name and with a state of its own: two panels of one kind. What is declared
 * of the original store later counts for the copy too.
 * @throws FLOE_BAD_NAME when the name is empty or holds '.' or '/'
 * @example
 * const left = copyOf(panel, 'left');
 * runtime.dispatch(left.its(opened)('v7'));
 * runtime.read(left.its(shownVisit));
 */
export function copyOf<T extends AnyStore, const L extends string>(store: T, label: L): CopyOf<T, L> {
  const name = storeName('A copy of a store', label);
  const original = new CopiedFrom(definitionOf(store), name);
  const copy = definitionOf(store).again(name, original);
  return Object.assign(copy, { its: (thing: AnyCreator) => original.its(copy, thing) }) as never;
}

class CopiedFrom implements Original {
  private readonly made = new Map<object, unknown>();

  constructor(
    private readonly of: StoreDefinition,
    /** Of the copy. */
    private readonly name: string,
  ) {}

  get names(): readonly string[] {
    return [this.of.name, ...this.of.copiedFrom];
  }
  get kept(): PersistOptions<never> | undefined {
    return this.of.kept;
  }
  get invariants(): readonly Invariant[] {
    return this.of.invariants;
  }
  get version(): number {
    return this.of.version;
  }

  /** The type of the original's action. */
  private typeIn(type: string): string {
    return type.startsWith(`${this.name}.`) ? this.of.name + type.slice(this.name.length) : type;
  }

  own(type: string): Iterable<Change> {
    const own = this.typeIn(type);
    return own === type ? [] : this.of.ownChangesFor(own);
  }
  fromElsewhere(type: string): Iterable<Change> {
    return this.of.fromElsewhere(type);
  }
  ownTypes(): string[] {
    const { of, name } = this;
    return of.ownTypes().map((type) => name + type.slice(of.name.length));
  }
  typesFromElsewhere(): string[] {
    return this.of.typesFromElsewhere();
  }
  aboutOf(type: string): About | undefined {
    return this.of.aboutOf(this.typeIn(type));
  }

  its(copy: StoreDefinition, thing: AnyCreator & { readonly [DERIVATION]?: Derivation }): unknown {
    const { of, name, made } = this;
    const known = made.get(thing);
    if (known) return known;
    const derivation = thing[DERIVATION];
    const nameIn = (its: string): string => name + its.slice(of.name.length);
    let own: unknown;
    if (derivation?.store === of)
      own = selectorOf({ ...derivation, id: nextId(), name: nameIn(derivation.name), store: copy });
    else if (!derivation && thing.type && thing.store === of)
      own = makeCreator(nameIn(thing.type), thing.takes!, copy, { about: thing.about });
    else throw notItsOwn(name);
    made.set(thing, own);
    return own;
  }
}

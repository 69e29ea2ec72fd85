// The entries of an undo stack: what the user did, what was undone of it, and what of that is on the line that is shown.
import {
  difference,
  escapeKey,
  type Extensible,
  isShown,
  keeping,
  sameData,
  shownStates,
  type StoreChange,
  type Touches,
  type Transition,
} from '../core/internal.js';
import type { AnyAction } from '../core/index.js';
import { Identities } from './identities.js';

/** What one action did to the stores. */
interface Deed {
  readonly action: AnyAction;
  readonly transition: Transition;
  /** As it was recorded. */
  readonly recorded: readonly StoreChange[];
  /** As it is now, where steps before it are left out or taken in again. */
  changed: readonly StoreChange[];
}

/** An undo or a redo of an entry, and what it did. */
interface Move {
  readonly fact: 'undone' | 'redone';
  readonly touches: Touches;
  /** Another one where steps before it are left out or taken in again. */
  changed: readonly StoreChange[];
  /** Goes up with each move. */
  readonly number: number;
}

export interface UndoEntry {
  readonly deeds: Deed[];
  time: number;
  readonly group: number | undefined;
  /** Its undos and redos, oldest first. The last one that is shown says whether it is undone at the cursor. */
  moves: readonly Move[];
}

const TYPING_MS = 1000;

/** Whether an action belongs to the entry of the one before it; see `UndoStackOptions`. */
type Together = (action: AnyAction, before: AnyAction, ms: number) => boolean;

export class UndoEntries {
  list: UndoEntry[] = [];
  readonly identities = new Identities();
  /** The transitions of undos and redos that were told, by what these knew. */
  readonly recordedMoves = new WeakMap<Touches, Transition>();

  /** @param stores by name: a reloaded module declares its store once more */
  constructor(
    private readonly host: Extensible,
    private readonly stores: ReadonlySet<string>,
    private readonly limit: number,
    private readonly together: Together | undefined,
  ) {}

  push(deed: Deed): void {
    // What the user does now takes the place of what could be done again, also of what is left out at present.
    this.list = this.list.filter((entry) => !this.isUndone(entry));
    const { time, group } = deed.transition;
    const last = this.list.at(-1);
    if (last && this.belongs(last, deed)) {
      last.deeds.push(deed);
      last.time = time;
      return;
    }
    this.list.push({ deeds: [deed], time, group, moves: [] });
    if (this.list.length > this.limit) this.list.shift();
  }

  private belongs({ deeds, time, group }: UndoEntry, deed: Deed): boolean {
    const { transition, action, changed } = deed;
    if (transition.group !== undefined && transition.group === group) return true;
    const last = deeds[deeds.length - 1];
    if (!isNext(last, deed)) return false;
    const ms = transition.time - time;
    if (this.together) return this.together(action, last.action, ms);
    if (action.type !== last.action.type || ms > TYPING_MS) return false;
    const place = textPlace(changed);
    return place !== undefined && place === textPlace(last.changed);
  }

  /** A step is computed again: this is what it changes now. */
  recomputed(step: number, changed: readonly StoreChange[]): void {
    for (const { deeds, moves } of this.list) {
      for (const move of moves) if (this.recordedMoves.get(move.touches)?.step === step) move.changed = changed;
      for (const deed of deeds) {
        if (deed.transition.step !== step) continue;
        const known = new Map(deed.recorded.map((one) => [one.store.name, one]));
        // What is equal keeps its identity, and the next version of an item is that item.
        deed.changed = changed.flatMap((one): StoreChange[] => {
          const old = known.get(one.store.name);
          if (!old && !this.stores.has(one.store.name)) return [];
          const next = { ...one, before: keeping(old?.before, one.before), after: keeping(old?.after, one.after) };
          if (old) {
            this.identities.follow(old.before, next.before, undefined);
            this.identities.follow(old.after, next.after, undefined);
          }
          this.identities.follow(next.before, next.after, undefined);
          return [next];
        });
      }
    }
  }

  /** Learns which items are shown: a past state is made of patches, one without a step is computed; their objects are new. */
  recognize(): void {
    const shown = shownStates(this.host);
    /** The states that the last deed before the cursor left, and that the first one after it found. */
    const around = new Map<string, { before?: unknown; after?: unknown }>();
    for (const { deeds } of this.list)
      for (const { transition, changed } of deeds) {
        const isBefore = isShown(this.host, transition);
        for (const { store, before, after } of changed) {
          const known = around.get(store.name) ?? {};
          around.set(store.name, known);
          if (isBefore) known.before = after;
          else known.after ??= before;
        }
      }
    for (const [name, { before, after }] of around)
      for (const known of [before, after]) if (sameData(known, shown[name])) this.identities.same(known, shown[name]);
  }

  /** Forgets undos and redos that were rolled back: those that are neither told yet nor about to be. Says whether there were some. */
  keepMoves(coming: readonly Transition[]): boolean {
    const { recordedMoves } = this;
    const isComing = ({ touches }: Move): boolean => coming.some((transition) => transition.touches === touches);
    const stays = (move: Move): boolean => recordedMoves.has(move.touches) || isComing(move);
    if (this.list.every(({ moves }) => moves.every(stays))) return false;
    for (const entry of this.list) entry.moves = entry.moves.filter(stays);
    return true;
  }

  /** The last undo or redo of an entry, as far as the cursor shows it. */
  lastMove({ moves }: UndoEntry): Move | undefined {
    for (let i = moves.length - 1; i >= 0; i--) {
      const transition = this.recordedMoves.get(moves[i].touches);
      // One that is not told is part of the transaction that is under way.
      if (transition === undefined || isShown(this.host, transition)) return moves[i];
    }
    return undefined;
  }

  private isUndone(entry: UndoEntry): boolean {
    return this.lastMove(entry)?.fact === 'undone';
  }

  /** Entries of which something is on the line that is shown: the others wait for theirs. */
  private counts({ deeds }: UndoEntry): boolean {
    return deeds.some(({ transition }) => isShown(this.host, transition));
  }

  all(areUndone: boolean): readonly UndoEntry[] {
    return this.list.filter((entry) => this.counts(entry) && this.isUndone(entry) === areUndone);
  }

  /** The last one to undo, or the one that was undone last: an entry that was left out meanwhile may stand behind it. */
  next(isUndone: boolean): UndoEntry | undefined {
    const all = this.all(isUndone);
    if (!isUndone) return all.at(-1);
    const numberOf = (entry: UndoEntry): number => this.lastMove(entry)!.number;
    return all.reduce<UndoEntry | undefined>(
      (last, entry) => (last && numberOf(last) > numberOf(entry) ? last : entry),
      undefined,
    );
  }
}

export function titleOfEntry(entry: UndoEntry): string;
export function titleOfEntry(entry: UndoEntry | undefined): string | undefined;
export function titleOfEntry(entry: UndoEntry | undefined): string | undefined {
  return entry && [...new Set(entry.deeds.map(({ action }) => action.type))].join(', ');
}

/** Whether nothing else changed the stores between two deeds. */
const isNext = (last: Deed, { changed }: Deed): boolean =>
  changed.length === last.changed.length &&
  changed.every(
    ({ store, before }, i) => store.name === last.changed[i].store.name && before === last.changed[i].after,
  );

/** The one text that a deed changed; nothing where it changed anything else. */
function textPlace(changed: readonly StoreChange[]): string | undefined {
  if (changed.length !== 1) return undefined;
  const [{ store, before, after }] = changed;
  const { changes, undo } = difference(before, after, `/${escapeKey(store.name)}`);
  const [there, back] = [changes[0], undo[0]];
  const isText = changes.length === 1 && there.op === 'replace' && typeof there.value === 'string';
  return isText && back.op === 'replace' && typeof back.value === 'string' ? there.path : undefined;
}

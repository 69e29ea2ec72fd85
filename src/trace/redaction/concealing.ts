// States as they may be recorded, and as the application has them again.
import {
  hasOwn,
  hasPart,
  isBranch,
  isKeyed,
  type Keyed,
  KEYED,
  partOf,
  put,
  sameData,
  type Touches,
} from '../../core/internal.js';
import type { States } from '../kept-states.js';
import type { RedactionRules, RedactionRule } from './rules.js';
import { REDACTED, type Pairs, type Secrets } from './secrets.js';

export class Concealing {
  /** The live states of the stores with redacted places. */
  private readonly live = new Map<string, unknown>();

  constructor(
    private readonly rules: RedactionRules,
    private readonly secrets: Secrets,
    private readonly pairs: Pairs,
  ) {}

  /** The state of a store as it may be recorded. */
  conceal(store: string, state: unknown): unknown {
    const rule = this.rules.ruleOf(store);
    return this.secrets.free(rule ? this.without(state, rule) : state, true);
  }

  /** Remembers what stands at the redacted places of a store. */
  learnFrom(store: string, state: unknown): void {
    const rule = this.rules.ruleOf(store);
    if (rule) this.without(state, rule);
  }

  /** A value without what a rule says. */
  without(value: unknown, rule: RedactionRule): unknown {
    if (rule.whole) {
      if (rule.learns) this.secrets.learn(value);
      return REDACTED;
    }
    if (!isBranch(value)) return value;
    const known = rule.memo.get(value);
    if (known) return known;
    const result = isKeyed(value)
      ? this.tableWithout(value, rule)
      : Array.isArray(value)
        ? this.listWithout(value, rule)
        : this.objectWithout(value, rule);
    rule.memo.set(value, result);
    if (result !== value) this.pairs.link(value, result);
    return result;
  }

  partWithout(part: unknown, rules: Iterable<RedactionRule>): unknown {
    let result = part;
    for (const rule of rules) result = this.without(result, rule);
    return result;
  }

  private objectWithout(value: Record<string, unknown>, rule: RedactionRule): object {
    let result = value;
    for (const key of rule.keysIn(value)) {
      if (!hasOwn(value, key)) continue;
      const part = this.partWithout(value[key], rule.of(key));
      if (Object.is(part, value[key])) continue;
      if (result === value) result = { ...value };
      put(result, key, part);
    }
    return result;
  }

  private listWithout(value: unknown[], rule: RedactionRule): unknown[] {
    if (!rule.hasItems) return value;
    const result = value.map((item, i) => this.partWithout(item, rule.ofItem(i)));
    return result.every((item, i) => Object.is(item, value[i])) ? value : result;
  }

  private tableWithout(table: Keyed, rule: RedactionRule): Keyed {
    const kind = table[KEYED];
    const conceal = (result: Keyed, key: string): Keyed => {
      const row = table.get(key);
      const part = this.partWithout(row, rule.of(key));
      return Object.is(part, result.get(key)) ? result : kind.with(result, key, part);
    };
    let { last } = rule;
    let result: Keyed;
    if (last) {
      // What did not change since the last time was concealed then.
      const { changed, removed, added } = kind.difference(last.table, table);
      // A row that comes elsewhere than at the end has to be put in its place.
      if (added.some((key, i) => kind.keyAfter(table, key) !== (added[i + 1] as string | undefined))) last = undefined;
      else {
        result = last.concealed;
        for (const key of removed) result = kind.without(result, key);
        for (const key of [...changed, ...added]) {
          result = kind.with(result, key, table.get(key));
          result = conceal(result, key);
        }
      }
    }
    if (!last) {
      result = table;
      for (const key of rule.keysIn(table)) if (table.has(key)) result = conceal(result, key);
    }
    rule.last = { table, concealed: result! };
    return result!;
  }

  /** What drafts know, of the states as they are recorded. */
  touches(touches: Touches): Touches {
    return {
      get: (after) => {
        const touch = touches.get(typeof after === 'object' && after !== null ? this.pairs.original(after) : after);
        return (
          touch && {
            // A key that holds a secret is another one in what is recorded.
            keys: touch.keys?.map((key) => this.secrets.textWithout(key, true)),
            moved: touch.moved,
            base: this.pairs.recorded(touch.base) as typeof touch.base,
          }
        );
      },
      wasCopied: (before) => touches.wasCopied?.(this.pairs.original(before)),
    };
  }

  /** Notes the live state of a store, for what stands outside time. */
  noteLive(store: string, state: unknown): void {
    if (this.rules.covers(store)) this.live.set(store, state);
  }

  /** States as the application has them: redacted places stand outside time and hold what they hold now. */
  reveal(states: States): States {
    if (this.live.size === 0 && this.secrets.areFew) return states;
    const result: Record<string, unknown> = { ...states };
    if (!this.secrets.areFew) for (const name of Object.keys(result)) result[name] = this.secrets.shown(result[name]);
    for (const [store, live] of this.live)
      if (hasOwn(result, store)) result[store] = this.with(result[store], live, this.rules.ruleOf(store)!);
    return result;
  }

  /** A recorded value with what stands at its redacted places now. */
  private with(value: unknown, live: unknown, rule: RedactionRule): unknown {
    if (rule.whole) return live;
    if (!isBranch(value) || !isBranch(live)) return value;
    if (Array.isArray(value)) return Array.isArray(live) ? this.listWith(value, live, rule) : value;
    let result = value;
    const set = (key: string, part: unknown): void => {
      if (isKeyed(result)) result = result[KEYED].with(result, key, part);
      else {
        if (result === value) result = { ...value };
        put(result, key, part);
      }
    };
    for (const key of rule.keysIn(value)) {
      const isLive = hasPart(live, key);
      for (const part of rule.of(key)) {
        if (!hasPart(value, key)) {
          if (part.whole && isLive && part !== rule.any) set(key, partOf(live, key));
        } else if (isLive) {
          const next = this.with(partOf(result, key), partOf(live, key), part);
          if (!Object.is(next, partOf(result, key))) set(key, next);
        } else if (part.whole && part !== rule.any) {
          if (isKeyed(result)) result = result[KEYED].without(result, key);
          else {
            if (result === value) result = { ...value };
            Reflect.deleteProperty(result, key);
          }
        }
      }
    }
    return result;
  }

  /** Items are found by what of them is recorded: at the same place, or else the only one like it. */
  private listWith(value: unknown[], live: unknown[], rule: RedactionRule): unknown[] {
    const rules = [...rule.ofItem(0)];
    if (rules.length === 0) return value;
    const recorded = live.map((item) => this.partWithout(item, rules));
    const places = new Map(recorded.map((item, i) => [item, i]));
    const placeOf = (item: unknown, i: number): number | undefined => {
      if (i < recorded.length && sameData(recorded[i], item)) return i;
      if (places.has(item)) return places.get(item);
      const alike = recorded.flatMap((one, j) => (sameData(one, item) ? [j] : []));
      return alike.length === 1 ? alike[0] : undefined;
    };
    return value.map((item, i) => {
      const place = placeOf(item, i);
      return place === undefined ? item : rules.reduce((part, one) => this.with(part, live[place], one), item);
    });
  }
}

// The texts that ever stood at redacted places: they are taken out wherever they come again.
import { encode, isContainer, isDate, isKeyed, isMap, isSet } from '../../core/internal.js';
import { partwise } from './parts.js';

/** What stands where something is not to be seen. */
export const REDACTED = '(redacted)';
/**
 * What stands elsewhere in place of a text that stands, or stood, at a redacted place. Numbered, so that two keys never become
 * one, and so that this runtime knows it again.
 */
const numbered = (secret: number): string => `(redacted ${secret})`;
const NUMBERED = /\(redacted ([0-9]+)\)/g;

/** Whether something in data was not to be seen. */
export const holdsRedacted = (value: unknown): boolean => JSON.stringify(encode(value) ?? null).includes('(redacted');

/** Texts that are shorter are not told from others, in messages and elsewhere. */
const LEAST_IN_MESSAGES = 3;
export const LEAST = 8;

/** Data as it is, and as it is recorded. */
export class Pairs {
  private readonly originals = new WeakMap<object, object>();
  private readonly concealed = new WeakMap<object, object>();

  link(value: object, recorded: object): void {
    this.originals.set(recorded, value);
    this.concealed.set(value, recorded);
  }

  /** What was recorded, as it is. */
  original(value: object): object {
    return last(this.originals, value);
  }

  /** What is, as it was recorded. */
  recorded(value: object): object {
    return last(this.concealed, value);
  }
}

function last(known: WeakMap<object, object>, value: object): object {
  let found = value;
  for (let next = known.get(found); next; next = known.get(found)) found = next;
  return found;
}

export class Secrets {
  /** All texts that ever stood at a redacted place, and their numbers. */
  private readonly secrets = new Map<string, number>();
  /** Those that are looked for everywhere, the longest first: one may be a part of another. */
  private long: readonly string[] = [];
  /** Data without secrets, by what it was; and what data was, by what it became. */
  private freeMemo = new WeakMap<object, object>();
  private shownMemo = new WeakMap<object, object>();

  constructor(private readonly pairs: Pairs) {}

  /** There is nothing to look for everywhere. */
  get areFew(): boolean {
    return this.long.length === 0;
  }

  /**
   * Plain data without the texts that stand, or stood, at redacted places.
   * @param isState in states texts become markers that are known again; in a message nothing has to be
   */
  free(value: unknown, isState: boolean): unknown {
    if (this.long.length === 0) return value;
    if (typeof value === 'string') return this.textWithout(value, isState);
    if (typeof value !== 'object' || value === null || isDate(value)) return value;
    if (!isState) return this.freeParts(value, false);
    const known = this.freeMemo.get(value);
    if (known) return known;
    const result = this.freeParts(value, true) as object;
    this.freeMemo.set(value, result);
    if (result !== value) {
      this.pairs.link(value, result);
      this.shownMemo.set(result, value);
    }
    return result;
  }

  private freeParts(value: object, isState: boolean): unknown {
    return partwise(
      value,
      (part) => this.free(part, isState),
      (key) => this.textWithout(key, true),
    );
  }

  /** States of this runtime again, with the texts for which markers stand. */
  shown(value: unknown): unknown {
    if (typeof value === 'string') return this.textShown(value);
    if (typeof value !== 'object' || value === null || isDate(value)) return value;
    const known = this.shownMemo.get(value);
    if (known) return known;
    const result = partwise(
      value,
      (part) => this.shown(part),
      (key) => this.textShown(key),
    ) as object;
    this.shownMemo.set(value, result);
    return result;
  }

  private textShown(text: string): string {
    if (!text.includes('(redacted ')) return text;
    return text.replace(
      NUMBERED,
      (marker, number) => this.long.find((one) => this.secrets.get(one) === Number(number)) ?? marker,
    );
  }

  textWithout(text: string, isState: boolean): string {
    let result = text;
    if (text.length >= LEAST)
      for (const secret of this.long)
        if (result.includes(secret))
          result = result.replaceAll(secret, isState ? numbered(this.secrets.get(secret)!) : REDACTED);
    return result;
  }

  private learnText(text: string, isText: boolean): void {
    if (text.length < LEAST_IN_MESSAGES || text.startsWith('(redacted') || this.secrets.has(text)) return;
    this.secrets.set(text, this.secrets.size + 1);
    if (!isText || text.length < LEAST) return;
    this.long = [...this.long, text].sort((a, b) => b.length - a.length);
    // Nothing was free of it.
    this.freeMemo = new WeakMap();
    this.shownMemo = new WeakMap();
  }

  /** A message without any text that stands, or stood, at a redacted place. */
  message(text: string, least = LEAST_IN_MESSAGES): string {
    let result = text;
    for (const secret of this.secrets.keys())
      if (secret.length >= least && result.includes(secret)) result = result.replaceAll(secret, REDACTED);
    return result;
  }

  /** Remembers the texts and numbers in a value that is not to be seen. */
  learn(value: unknown): void {
    if (typeof value === 'number') this.learnText(String(value), false);
    else if (typeof value === 'string') {
      if (!this.secrets.has(value)) for (const form of formsOf(value)) this.learnText(form, true);
    } else if (isKeyed(value))
      for (const [key, row] of value) {
        this.learn(key);
        this.learn(row);
      }
    else if (isMap(value)) for (const entry of value) this.learn([...entry]);
    else if (isSet(value)) this.learn([...value]);
    else if (isContainer(value)) for (const part of Object.values(value)) this.learn(part);
  }
}

/** How a text may stand in another one: as it is, as JSON has it (RFC 8259), and as an address has it (RFC 3986, and forms). */
function formsOf(text: string): Iterable<string> {
  const forms = new Set([text, JSON.stringify(text).slice(1, -1)]);
  // Half of a surrogate pair has no form in an address.
  if (!/\p{Cs}/u.test(text)) {
    const inAddress = encodeURIComponent(text);
    forms.add(inAddress).add(inAddress.replaceAll('%20', '+')).add(encodeURI(text));
  }
  return forms;
}

// Nested responses into flat rows. It goes through a response in document order, with a stack of its own, so that no depth
// can overflow; what refers to a record holds its key, and what is said of one record in several places is joined.
import type { StandardSchemaV1 } from '@standard-schema/spec';
import {
  checkOptions,
  checkPlain,
  DEV,
  escapeKey,
  FloeError,
  hasOwn,
  hasPart,
  parsePointer,
  partOf,
  put,
} from '../core/internal.js';
import { isKey } from './entity.js';
import {
  asyncCheck,
  badRow,
  cyclicAnswer,
  keyClash,
  kindClash,
  noKey,
  notARecord,
  tooDeep,
  unknownKind,
} from './errors.js';
import { joined, type Ingested, type IngestOptions, type Row, type Skipped } from './ingested.js';
import type { LinkPlan, Reference, SinglePlan, TypePlan } from './plan.js';

/** A record on the way through a response. */
interface Visit {
  readonly plan: TypePlan;
  readonly record: Row;
  readonly key: string;
  /** The record around it, the field there, and the place in that field. */
  readonly around: Visit | undefined;
  readonly field: string;
  readonly item: string | number | undefined;
}

class Ingesting {
  private readonly rows = new Map<TypePlan, Map<string, Row>>();
  /** Keys that came as numbers, and those that came as text. */
  private readonly numbers = new Map<TypePlan, { readonly numbers: Set<string>; readonly texts: Set<string> }>();
  private readonly kinds = new Map<SinglePlan, Map<string, string>>();
  private readonly seen = new Set<object>();
  private readonly stack: Visit[] = [];
  private readonly found: Visit[] = [];
  private readonly skipped: Skipped[] = [];
  private readonly withoutLinks: Record<string, Record<string, string[]>> = {};

  constructor(
    private readonly start: string,
    private readonly skip: boolean,
  ) {}

  run(plan: TypePlan, response: unknown): Ingested {
    const many = Array.isArray(response);
    const roots: readonly unknown[] = many ? response : [response];
    for (let i = 0; i < roots.length; i++) {
      const item = many ? i : undefined;
      this.refer(plan, roots[i], undefined, '', item);
      // One root after the other keeps the stack small.
      this.work();
    }
    const keys: Record<string, string[]> = {};
    const rows: Record<string, unknown[]> = {};
    for (const [{ name }, table] of this.rows) {
      put(keys, name, [...table.keys()]);
      put(rows, name, [...table.values()]);
    }
    if (!this.skip) return { keys, rows };
    const { skipped, withoutLinks } = this;
    return { keys, rows, skipped, ...(Object.keys(withoutLinks).length > 0 && { withoutLinks }) };
  }

  /** The path of a place in the response. */
  private path(around: Visit | undefined, field: string, item?: string | number): string {
    const tokens: string[] = [];
    const add = (name: string, at: string | number | undefined): void => {
      if (at !== undefined) tokens.push(escapeKey(String(at)));
      if (name !== '') tokens.push(escapeKey(name));
    };
    add(field, item);
    for (let visit = around; visit; visit = visit.around) add(visit.field, visit.item);
    return tokens.reduceRight((path, token) => `${path}/${token}`, this.start);
  }

  /** Throws, or notes what is left out. */
  private refuse<T>(problem: FloeError): T | undefined {
    if (!this.skip) throw problem;
    this.skipped.push({ path: problem.path ?? '', code: problem.code, problem: problem.message });
    return undefined;
  }

  private work(): void {
    const { stack, found } = this;
    for (;;) {
      // What a record holds comes before what stands after it.
      while (found.length > 0) stack.push(found.pop()!);
      const visit = stack.pop();
      if (!visit) return;
      this.record(visit);
    }
  }

  /**
   * The key of a record, which is looked at later; or of a reference by key alone. Five parameters: an object would be made for
   * every reference of a response.
   */
  private refer(
    plan: TypePlan,
    value: unknown,
    around: Visit | undefined,
    field: string,
    item: string | number | undefined,
  ): string | undefined {
    let key: unknown;
    if (typeof value === 'object' && value !== null && !Array.isArray(value)) {
      key = this.keyOf(plan, value as Row);
      if (typeof key !== 'string' && !isKey(key))
        return this.refuse(
          noKey(plan, this.path(around, field, item), key, around || item !== undefined ? undefined : value),
        );
    } else if (around && isKey(value)) key = value;
    else {
      const [what, at] = [around ? `record of '${plan.name}'` : plan.name, this.path(around, field, item)];
      return this.refuse(notARecord(what, at, value, !around));
    }
    if (typeof key === 'number' || this.numbers.has(plan)) {
      if (!this.oneWay(plan, key as string | number, typeof value === 'object', around))
        return this.refuse(keyClash(plan.name, this.path(around, field, item), String(key)));
    }
    const text = String(key);
    if (typeof value === 'object') this.found.push({ plan, record: value as Row, key: text, around, field, item });
    return text;
  }

  /** What a record is known by; a key function that cannot make anything of it finds no key. */
  private keyOf(plan: TypePlan, record: Row): unknown {
    if (plan.keyField !== undefined) return record[plan.keyField];
    try {
      return plan.rawKey(record);
    } catch {
      return undefined;
    }
  }

  /** Whether a key comes always as a number or always as text; a reference may be the other. */
  private oneWay(plan: TypePlan, key: string | number, isRecord: boolean, around: Visit | undefined): boolean {
    if (!isRecord) return true;
    let known = this.numbers.get(plan);
    if (!known) {
      known = { numbers: new Set(), texts: new Set(this.rows.get(plan)?.keys()) };
      // Those whose row is not made yet: what waits, and the record that holds this one.
      for (const visit of [...this.stack, ...this.found, ...(around ? [around] : [])])
        if (visit.plan === plan) known.texts.add(visit.key);
      this.numbers.set(plan, known);
    }
    const text = String(key);
    const [own, other] = typeof key === 'number' ? [known.numbers, known.texts] : [known.texts, known.numbers];
    if (other.has(text)) return false;
    own.add(text);
    return true;
  }

  private record(visit: Visit): void {
    const { plan, record, key } = visit;
    let again = false;
    if (plan.recursive) {
      again = this.seen.has(record);
      if (again) {
        for (let outer = visit.around; outer; outer = outer.around)
          if (outer.record === record)
            return this.refuse(cyclicAnswer(this.path(visit.around, visit.field, visit.item)));
      }
      this.seen.add(record);
    }
    let row = record;
    const refused: string[] = [];
    if (DEV && !this.plain(visit)) return;
    for (const link of plan.links) {
      const value = record[link.name];
      if (value === undefined || value === null || !hasOwn(record, link.name)) continue;
      if (row === record) row = { ...record };
      const flat = this.link(link, value, visit);
      if (flat === undefined) refused.push(link.name);
      put(row, link.name, flat === undefined ? null : flat);
    }
    // Children of a record that was met before were met before, too.
    if (again) this.found.length = 0;
    let final = this.checked(plan, row, visit);
    if (final === undefined) return;
    if (refused.length > 0) final = this.withoutRefused(visit, final, refused);
    let rows = this.rows.get(plan);
    if (!rows) this.rows.set(plan, (rows = new Map<string, Row>()));
    const older = rows.get(key);
    rows.set(key, older === undefined ? final : joined(plan.join, older, final));
  }

  /** The row without the links that were refused: what the table knows of them is not overwritten. */
  private withoutRefused({ plan, key }: Visit, row: Row, refused: readonly string[]): Row {
    const rest = { ...row };
    for (const name of refused) Reflect.deleteProperty(rest, name);
    const { withoutLinks } = this;
    if (!hasOwn(withoutLinks, plan.name)) put(withoutLinks, plan.name, {});
    put(withoutLinks[plan.name], key, [...refused]);
    return rest;
  }

  /** Development only: whether what is no link is plain data. */
  private plain({ plan, record, around, field, item }: Visit): boolean {
    const path = (): string => this.path(around, field, item);
    const own: Row = { ...record };
    for (const { name } of plan.links) Reflect.deleteProperty(own, name);
    try {
      // The path is long in the making, and mostly it is not needed.
      checkPlain(own, {
        what: 'The response',
        get at() {
          return path();
        },
      });
      return true;
    } catch (error) {
      if (error instanceof RangeError || (error instanceof FloeError && error.code === 'FLOE_TOO_DEEP'))
        this.refuse(tooDeep(path()));
      else if (error instanceof FloeError) this.refuse(error);
      else throw error;
      return false;
    }
  }

  private checked(plan: TypePlan, row: Row, { around, field, item }: Visit): Row | undefined {
    let checked: unknown = row;
    if (plan.check) {
      const result = plan.check.validate(row);
      if (result instanceof Promise) throw asyncCheck(plan.name);
      const { issues } = result;
      if (issues) {
        const problems = issues.map(({ message, path = [] }) => [...path.map(tokenOf), message].join(': ')).join('; ');
        return this.refuse(badRow(plan.name, this.path(around, field, item), problems));
      }
      checked = (result as { readonly value: unknown }).value;
    }
    return (plan.incoming ? plan.incoming(checked as never) : checked) as Row;
  }

  private link(link: LinkPlan, value: unknown, visit: Visit): unknown {
    const { many, single, name } = link;
    if (many === 'one') return this.single(single, value, visit, name, undefined);
    if (many === 'list') {
      if (!Array.isArray(value)) return this.refuse(notARecord(`list '${name}'`, this.path(visit, name), value));
      const keys: unknown[] = [];
      for (let i = 0; i < value.length; i++) {
        const key = this.single(single, value[i], visit, name, i);
        if (key !== undefined) keys.push(key);
      }
      return keys;
    }
    if (typeof value !== 'object' || Array.isArray(value))
      return this.refuse(notARecord(`map '${name}'`, this.path(visit, name), value));
    const keys = {};
    for (const [item, one] of Object.entries(value as object)) {
      const key = one === null ? null : this.single(single, one, visit, name, item);
      if (key !== undefined) put(keys, item, key);
    }
    return keys;
  }

  /** The key of what a link holds. Five parameters, as above. */
  private single(
    single: SinglePlan,
    value: unknown,
    visit: Visit,
    name: string,
    item: string | number | undefined,
  ): Reference | undefined {
    if (single.target) return this.refer(single.target, value, visit, name, item);
    if (typeof value !== 'object' || value === null)
      return this.refuse(notARecord('record by kind', this.path(visit, name, item), value));
    const kind = (value as Row)[single.field] ?? (value as Row).kind;
    const plan = single.kinds.get(kind as string);
    if (!plan) return this.refuse(unknownKind(this.path(visit, name, item), kind, [...single.kinds.keys()]));
    // `{ kind, key }` alone, as it stands in a row, is a reference.
    const reference = (value as Row).key;
    const bare =
      isKey(reference) && plan.keyField !== 'key' && hasOwn(value, 'kind') && Object.keys(value).length === 2;
    const key = this.refer(plan, bare ? reference : value, visit, name, item);
    if (key === undefined) return undefined;
    let kinds = this.kinds.get(single);
    if (!kinds) this.kinds.set(single, (kinds = new Map<string, string>()));
    const known = kinds.get(key);
    if (known === undefined) kinds.set(key, kind as string);
    else if (known !== kind) {
      if (!bare) this.found.pop();
      return this.refuse(kindClash(this.path(visit, name, item), key, [kind as string, known]));
    }
    return { kind: kind as string, key };
  }
}

const tokenOf = (token: PropertyKey | StandardSchemaV1.PathSegment): string =>
  String(typeof token === 'object' ? token.key : token);

/** The rows in a response, by type. */
export function ingested(plan: TypePlan, response: unknown, options: IngestOptions = {}): Ingested {
  checkOptions('ingest', options, ['at', 'skip']);
  const { at = '', skip = false } = options;
  let part = response;
  let path = '';
  for (const key of parsePointer(at)) {
    path += `/${escapeKey(key)}`;
    if (!hasPart(part, key)) throw notARecord(plan.name, path, undefined, true);
    part = partOf(part, key);
  }
  return new Ingesting(at, skip).run(plan, part);
}

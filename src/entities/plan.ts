// The entity types of one set of tables, with their links resolved: what ingest, expand and removal go by.
import { unknownEntity } from './errors.js';
import { linkOf, type AnyEntity, type EntityInner, type Removed, type Single, type Target } from './entity.js';

/** A single link: to one type, or to one of several by a field. */
export interface SinglePlan {
  /** The type that it leads to; for a link by kind, none. */
  readonly target: TypePlan | undefined;
  readonly field: string;
  readonly kinds: ReadonlyMap<string, TypePlan>;
}

/** A link of a type. */
export interface LinkPlan {
  readonly from: TypePlan;
  /** The field that holds it. */
  readonly name: string;
  readonly many: 'one' | 'list' | 'map';
  readonly single: SinglePlan;
  readonly removed: Removed;
}

/** A type in one set of tables. */
export interface TypePlan extends EntityInner {
  readonly name: string;
  readonly entity: AnyEntity;
  readonly links: LinkPlan[];
  /** The links, of any type, that may lead here. */
  readonly linkedBy: LinkPlan[];
  /** Whether a record of it may hold, somewhere inside, another of its own type. */
  readonly recursive: boolean;
  /** Whether it, or a type somewhere inside it, is recursive: a view of it may have no end. */
  readonly endless: boolean;
}

/** A row as `{ kind, key }` or as a key, wherever it stands in a link. */
export type Reference = string | { readonly kind: string; readonly key: string };

export class Plans {
  readonly byName = new Map<string, TypePlan>();

  constructor(types: readonly AnyEntity[]) {
    for (const entity of types) {
      this.byName.set(entity.name, {
        ...entity.inner,
        name: entity.name,
        entity,
        links: [],
        linkedBy: [],
        recursive: false,
        endless: false,
      });
    }
    for (const plan of this.byName.values()) {
      for (const [name, declared] of Object.entries(plan.entity.links as Record<string, never>)) {
        const link = linkOf(declared);
        const many = link.link === 'list' || link.link === 'map' ? link.link : 'one';
        const single = this.single(`The link '${plan.name}.${name}'`, 'of' in link ? link.of : link);
        const made: LinkPlan = { from: plan, name, many, single, removed: link.removed };
        plan.links.push(made);
        for (const target of targetsOf(single)) target.linkedBy.push(made);
      }
    }
    for (const plan of this.byName.values())
      (plan as { recursive: boolean }).recursive = reaches((to) => to === plan, plan, new Set<TypePlan>());
    for (const plan of this.byName.values())
      (plan as { endless: boolean }).endless =
        plan.recursive || reaches(({ recursive }) => recursive, plan, new Set<TypePlan>());
  }

  private single(what: string, single: Single): SinglePlan {
    const link = linkOf(single);
    if (link.link === 'kind') {
      const kinds = Object.entries(link.kinds).map(([kind, target]) => [kind, this.resolve(what, target)] as const);
      return { target: undefined, field: link.field, kinds: new Map(kinds) };
    }
    return { target: this.resolve(what, (link as { readonly target: Target }).target), field: '', kinds: new Map() };
  }

  private resolve(what: string, target: Target): TypePlan {
    return this.get(what, typeof target === 'string' ? target : target.name);
  }

  /** The plan of a type, or a clear error. */
  get(what: string, name: string): TypePlan {
    const plan = this.byName.get(name);
    if (!plan) throw unknownEntity(what, name, [...this.byName.keys()]);
    return plan;
  }
}

const targetsOf = ({ target, kinds }: SinglePlan): readonly TypePlan[] => (target ? [target] : [...kinds.values()]);

function reaches(is: (to: TypePlan) => boolean, from: TypePlan, seen: Set<TypePlan>): boolean {
  for (const { single } of from.links) {
    for (const target of targetsOf(single)) {
      if (is(target)) return true;
      if (seen.size !== seen.add(target).size && reaches(is, target, seen)) return true;
    }
  }
  return false;
}

/** The rows that a row links to: their types and keys, as far as the link is set and of a known kind. */
export function* referencesOf(row: unknown, link: LinkPlan): Iterable<readonly [TypePlan, string]> {
  const value = (row as Record<string, unknown> | undefined)?.[link.name];
  if (value === undefined || value === null) return;
  const all = link.many === 'one' ? [value] : Object.values(value);
  for (const one of all) {
    const found = referenced(link.single, one);
    if (found) yield found;
  }
}

/** Where a reference leads. */
export function referenced({ target, kinds }: SinglePlan, value: unknown): readonly [TypePlan, string] | undefined {
  if (target) return typeof value === 'string' ? [target, value] : undefined;
  if (typeof value !== 'object' || value === null) return undefined;
  const { kind, key } = value as Partial<Exclude<Reference, string>>;
  const plan = kinds.get(kind!);
  return plan && typeof key === 'string' ? [plan, key] : undefined;
}

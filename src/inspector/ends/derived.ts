// The derived values of a runtime, as the interface lists them.
import type { Dependency, LiveSource } from '../../core/internal.js';
import type { DependencyShown, DerivedDetail, DerivedGroup, DerivedShown, Methods } from '../protocol/protocol.js';
import { sourceName, type Observing } from './observing.js';
import { valueShown } from '../history/values.js';
import { pointerIn } from '../history/words.js';

export class Derived {
  constructor(private readonly observing: Observing) {}

  private selectors(): readonly LiveSource[] {
    return this.observing.live().filter(({ kind }) => kind === 'selector');
  }

  /** The selectors and views of which values are kept, by name. */
  groups(sort: Methods['derived']['params']['sort'], changed: ReadonlySet<object>): Methods['derived']['result'] {
    const byName = new Map<string, LiveSource[]>();
    const all = this.selectors();
    for (const source of all) {
      const list = byName.get(source.name);
      if (list) list.push(source);
      else byName.set(source.name, [source]);
    }
    const groups = Array.from(byName, ([name, sources]) => this.group(name, sources, changed));
    const byTook = (a: DerivedGroup, b: DerivedGroup): number => b.own - a.own;
    const byLast = (a: DerivedGroup, b: DerivedGroup): number => (b.lastSeq ?? -1) - (a.lastSeq ?? -1);
    const byNames = (a: DerivedGroup, b: DerivedGroup): number => (a.name < b.name ? -1 : a.name > b.name ? 1 : 0);
    const order = sort === 'took' ? byTook : sort === 'last' ? byLast : byNames;
    groups.sort((a, b) => order(a, b) || byNames(a, b));
    return { groups, total: all.length };
  }

  private group(name: string, sources: readonly LiveSource[], changed: ReadonlySet<object>): DerivedGroup {
    let [computed, forNothing, took, own, watchers, failed] = [0, 0, 0, 0, 0, 0];
    let lastSeq: number | null = null;
    for (const { reader, watchers: ofOne, status } of sources) {
      const costs = this.observing.costs.get(reader);
      computed += costs?.computed ?? 0;
      forNothing += costs?.forNothing ?? 0;
      took += costs?.took ?? 0;
      own += costs?.own ?? 0;
      if (costs && (lastSeq === null || costs.lastSeq > lastSeq)) lastSeq = costs.lastSeq;
      watchers += ofOne;
      if (status === 'failed') failed++;
    }
    const only = sources.length === 1 ? this.shown(sources[0], changed) : null;
    const isChanged = sources.some(({ reader }) => changed.has(reader));
    return {
      ...{ name, count: sources.length, computed, forNothing, took, own },
      ...{ lastSeq, watchers, failed, changed: isChanged, only },
    };
  }

  private shown(source: LiveSource, changed: ReadonlySet<object>): DerivedShown {
    const { reader, args, status, value, readers, watchers } = source;
    const costs = this.observing.costs.get(reader);
    return {
      id: this.observing.numbered.idOf(reader),
      name: sourceName(source),
      arguments: args.map((arg) => valueShown(arg).text).join(', '),
      value: valueShown(value),
      status,
      computed: costs?.computed ?? 0,
      forNothing: costs?.forNothing ?? 0,
      took: costs?.took ?? 0,
      own: costs?.own ?? 0,
      lastTook: costs?.lastTook ?? null,
      readers,
      watchers,
      changed: changed.has(reader),
    };
  }

  /** Those of one name, as many as wanted. */
  ofName(name: string, from: number, count: number, changed: ReadonlySet<object>): Methods['derivedOf']['result'] {
    const all = this.selectors().filter((source) => source.name === name);
    const weight = ({ reader }: LiveSource): number =>
      (changed.has(reader) ? 1e9 : 0) + (this.observing.costs.get(reader)?.own ?? 0);
    const sorted = [...all].sort((a, b) => weight(b) - weight(a));
    return { items: sorted.slice(from, from + count).map((source) => this.shown(source, changed)), total: all.length };
  }

  /** One, with what it depends on and what uses it. */
  one(id: number): DerivedDetail | null {
    const reader = this.observing.numbered.readerOf(id);
    const all = this.observing.live();
    const source = all.find((one) => one.reader === reader);
    if (!source) return null;
    const usedBy = all.filter((one) =>
      one.dependencies().some((dependency) => dependency.kind === 'source' && dependency.source.reader === reader),
    );
    return {
      ...this.shown(source, new Set()),
      dependsOn: source.dependencies().map((dependency) => this.dependency(dependency)),
      usedBy: usedBy
        .slice(0, 100)
        .map((one) => ({ id: this.observing.numbered.idOf(one.reader), label: sourceName(one) })),
    };
  }

  private dependency(dependency: Dependency): DependencyShown {
    if (dependency.kind === 'place') {
      const { store, pointer, aspect } = dependency;
      return {
        kind: 'place',
        label: `${store}${pointer}`,
        pointer: pointerIn(store, pointer),
        aspect: ASPECTS[aspect],
      };
    }
    const { source } = dependency;
    if (source.kind === 'store')
      return { kind: 'place', label: source.name, pointer: pointerIn(source.name, ''), aspect: 'the whole state' };
    return { kind: 'derived', label: sourceName(source), id: this.observing.numbered.idOf(source.reader) };
  }

  /** The value of one. */
  value(id: number): { readonly value: unknown } | undefined {
    const reader = this.observing.numbered.readerOf(id);
    const source = this.observing.live().find((one) => one.reader === reader);
    return source && { value: source.value };
  }
}

const ASPECTS = {
  value: 'its value',
  keys: 'its keys',
  size: 'how many rows it has',
  presence: 'whether it is there',
  kind: 'whether it is a list or an object',
} as const;

// Where two branches of a history end differently.
import { patched, type TraceSource } from '../../trace/internal.js';
import { changesBetween, pointersOf } from '../history/changes.js';
import type { ChangeShown, Methods } from '../protocol/protocol.js';
import { MOST_CHANGES, type StepReads } from './step-reads.js';

export class BranchReads {
  constructor(
    private readonly source: TraceSource,
    private readonly steps: StepReads,
  ) {}

  async compare({ a, b }: Methods['compareBranches']['params']): Promise<Methods['compareBranches']['result']> {
    const [from, to] = [await this.statesOf(a), await this.statesOf(b)];
    const last = this.source.at(this.source.end - 1)?.seq ?? 0;
    const { changes } = changesBetween(from, to, last, Infinity);
    // What only actions changed that are not listed, as a clock does, is no difference between what was done.
    const listed = new Set([...this.listedPlaces(a), ...this.listedPlaces(b)]);
    const holders = new Set([...listed].flatMap(wayTo));
    const isListed = ({ pointer }: ChangeShown): boolean =>
      holders.has(pointer) || wayTo(pointer).some((place) => listed.has(place));
    const relevant = changes.filter(isListed);
    return {
      changes: relevant.slice(0, MOST_CHANGES),
      changeCount: relevant.length,
      unlisted: changes.length - relevant.length,
    };
  }

  /** The places that listed steps of a branch changed since it left the present one. */
  private listedPlaces(branch: number): readonly string[] {
    const { source } = this;
    const { steps } = source.stepsOf(branch);
    const own = [...steps];
    if (branch === source.branch)
      for (const other of source.branches) {
        if (other.id === branch) continue;
        for (let at = source.stepsOf(other.id).common + 1; at < source.end; at++) own.push(source.at(at)!);
      }
    return pointersOf(
      own.filter(({ fact }) => fact !== 'summed'),
      Infinity,
    );
  }

  private async statesOf(branch: number): Promise<Readonly<Record<string, unknown>>> {
    const { source } = this;
    const { common, steps } = source.stepsOf(branch);
    const states = (await this.steps.statesAt(branch === source.branch ? source.end - 1 : common)) as Readonly<
      Record<string, unknown>
    >;
    return branch === source.branch ? states : patched(states, steps);
  }
}

/** A place, and those that it stands in. */
const wayTo = (pointer: string): string[] => pointer.split('/').map((_, i, keys) => keys.slice(0, i + 1).join('/'));

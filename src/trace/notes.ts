// What a developer and a page add to a trace: notes, names of branches, interactions; and an action by hand.
import { checkChoice, checkOptions } from '../core/internal.js';
import type { AnyAction, DispatchResult } from '../core/index.js';
import { branchLine } from './file.js';
import type { InteractionEnd, NotedInteraction } from './interactions.js';
import type { TraceState } from './state.js';
import type { Step } from './step.js';

export class Notes {
  constructor(private readonly state: TraceState) {}

  pause(): void {
    this.state.isPaused = true;
    this.state.changed();
  }
  resume(): void {
    this.state.isPaused = false;
    this.state.changed();
  }

  mark(note: string, seq = this.state.cursor): void {
    this.state.endSum();
    const step = this.state.timeline.line.at(this.state.timeline.indexOf(seq))!;
    const { note: _before, ...rest } = step;
    const marked: Step = note === '' ? rest : { ...rest, note: this.state.redaction.secrets.message(note) };
    this.state.timeline.replace(marked);
    this.state.written.again([marked]);
    this.state.noteRevised(this.state.timeline.line.indexOf(seq));
    this.state.changed();
  }

  noteInteraction(what: NotedInteraction): (how?: InteractionEnd) => void {
    checkOptions('trace.noteInteraction', what, ['kind', 'name', 'role', 'key', 'typing', 'onlyWithSteps']);
    checkChoice('trace.noteInteraction', 'kind', what.kind, ['click', 'key', 'submit', 'input']);
    // What the user does must not disappear in a sum that began before it, nor the sum go on with what follows it.
    this.state.endSum();
    const { redaction } = this.state;
    const noted = redaction.none ? what : redaction.interaction(what);
    const end = this.state.did.begin(noted, this.state.host.now(), this.state.timeline.nextSeq);
    return (how = {}) => {
      this.state.endSum();
      if (end(this.state.timeline.nextSeq, how)) this.state.changed();
    };
  }

  nameBranch(branch: number, name: string): void {
    this.state.endSum();
    const shown = this.state.redaction.secrets.message(name);
    this.state.timeline.branches.rename(branch, shown);
    this.state.written.write?.(branchLine(branch, shown));
    this.state.changed();
  }

  send(action: AnyAction): DispatchResult {
    return this.state.host.dispatch(action, { by: 'inspector' });
  }
}

// Pinned places and derived values: they stay in sight while one works, or moves in time.
import { html, nothing, type TemplateResult } from './libraries.js';
import type { ValueShown } from '../ends/index.js';
import { define, Part, valueView } from './part.js';
import type { Pin } from './session.js';

/** A pinned value now, and before the moment. */
interface PinShown {
  readonly now: ValueShown | null;
  readonly before: ValueShown | null;
}

class Pins extends Part {
  static override properties = { ...Part.properties, values: { state: true } };
  declare values: ReadonlyMap<string, PinShown> | undefined;

  override willUpdate(): void {
    super.willUpdate();
    const { pins, seq, since, status } = this.session;
    if (pins.length === 0) return;
    this.askWhen(
      JSON.stringify([pins, seq, since, status?.revision]),
      () => this.load(),
      (values) => (this.values = values),
    );
  }

  private async load(): Promise<ReadonlyMap<string, PinShown>> {
    const values = new Map<string, PinShown>();
    for (const pin of this.session.pins) values.set(nameOf(pin), await this.look(pin));
    return values;
  }

  private async look({ pointer, derived }: Pin): Promise<PinShown> {
    const { session } = this;
    const { seq, since } = session;
    if (derived !== undefined) {
      const found = await session.ask('derivedOne', { id: derived });
      const changed = session.moment?.changes.find((change) => change.derived?.id === derived);
      return { now: found?.value ?? null, before: changed?.before ?? found?.value ?? null };
    }
    if (seq === undefined) return { now: null, before: null };
    const at = async (one: number, before: boolean): Promise<ValueShown | null> =>
      (await session.ask('parts', { of: { in: 'state', seq: one, pointer, before }, from: 0, count: 0 })).value;
    return { now: await at(seq, false), before: since === undefined ? null : await at(since, true) };
  }

  override render(): TemplateResult | typeof nothing {
    const { session, values } = this;
    if (session.pins.length === 0) return nothing;
    return html`<ul class="pins plain" aria-label="Pinned">
      ${session.pins.map((pin) => {
        const { now = null, before = null } = values?.get(nameOf(pin)) ?? {};
        const isChanged = now?.text !== before?.text;
        return html`<li>
          <button class="place" title=${pin.pointer} @click=${() => this.open(pin)}>${pin.label}</button>
          ${isChanged ? html`${valueView(before, 'before')}<span class="arrow">→</span>` : nothing}
          ${valueView(now, isChanged ? 'after' : '')}
          <button class="unpin" aria-label="Unpin ${pin.label}" title="Unpin" @click=${() => session.togglePin(pin)}>
            ✕
          </button>
        </li>`;
      })}
    </ul>`;
  }

  private open({ pointer, derived }: Pin): void {
    if (derived === undefined) this.session.showHistory(pointer);
    else this.session.show('derived');
  }
}

const nameOf = ({ pointer, derived }: Pin): string => `${derived ?? ''}${pointer}`;

export const definePins = (): void => define('floe-pins', Pins);

// A part that scrolls through many rows of one height, and draws only those that are seen.
import { createRef, VirtualizerController } from './libraries.js';
import { Part } from './part.js';

export class ScrollingPart extends Part {
  /** The element that scrolls. */
  protected readonly scroller = createRef<HTMLDivElement>();
  private readonly controller: VirtualizerController<HTMLDivElement, HTMLElement>;
  private isMeasured = false;

  /**
   * @param rowHeight in pixels
   * @param overscan how many rows are drawn beyond those that are seen
   */
  constructor(
    protected readonly rowHeight: number,
    overscan: number,
  ) {
    super();
    this.controller = new VirtualizerController<HTMLDivElement, HTMLElement>(this, {
      getScrollElement: () => this.scroller.value ?? null,
      count: 0,
      estimateSize: () => rowHeight,
      overscan,
    });
  }

  /** What is seen of so many rows. Without a number: of as many as before. */
  protected list(count?: number): ReturnType<typeof this.controller.getVirtualizer> {
    const list = this.controller.getVirtualizer();
    if (count !== undefined) list.setOptions({ ...list.options, count });
    return list;
  }

  protected override updated(): void {
    // The element that scrolls is there only after the first drawing.
    if (this.isMeasured || !this.scroller.value) return;
    this.isMeasured = true;
    this.requestUpdate();
  }
}

/** How many lines are drawn beyond those in sight, above and below. */
const beyond = 24;
/** The first line that is drawn is a multiple of this, so that not each notch of a wheel draws anew. */
const step = 20;
/** How high a line is taken to be before one was drawn, in pixels. */
const guess = 32;

/** Which lines of a long list of lines of one height are drawn: those in sight, and some above and below. */
export class Windowed {
  first = $state(0);
  last = $state(2 * beyond);
  height = $state(guess);

  /** A Svelte action for the element whose lower edge is where the lines that are drawn begin; above the first line it has no height. */
  watch = (node: HTMLElement) => {
    let asked = 0;
    const look = () => {
      asked = 0;
      const end = node.parentElement?.querySelector(':scope > [data-end]');
      const { top, bottom } = node.getBoundingClientRect();
      const drawn = node.parentElement!.querySelectorAll(':scope > [aria-rowindex]').length;
      if (end && drawn > 0) this.height = (end.getBoundingClientRect().top - bottom) / drawn || guess;
      const above = Math.floor(Math.max(0, -top) / this.height);
      this.first = Math.max(0, Math.floor((above - beyond) / step) * step);
      this.last = this.first + Math.ceil(innerHeight / this.height / step) * step + 2 * beyond + step;
    };
    const soon = () => (asked ||= requestAnimationFrame(look));
    addEventListener('scroll', soon, { capture: true, passive: true });
    addEventListener('resize', soon);
    soon();
    return {
      destroy: () => {
        cancelAnimationFrame(asked);
        removeEventListener('scroll', soon, { capture: true });
        removeEventListener('resize', soon);
      },
    };
  };
}

/** The longest text of each column, of rows that grow at their end: what a column is as wide as, whichever rows are drawn. */
export class Longest {
  #of: readonly unknown[] | undefined;
  #seen = 0;
  #texts: string[] = [];

  of<Row extends readonly unknown[]>(rows: readonly Row[], columns: number, text: (row: Row, column: number) => string): string[] {
    if (rows[0] !== this.#of || rows.length < this.#seen) [this.#of, this.#seen, this.#texts] = [rows[0], 0, []];
    for (; this.#seen < rows.length; this.#seen++) {
      for (let c = 0; c < columns; c++) {
        const shown = text(rows[this.#seen]!, c);
        if (shown.length > (this.#texts[c]?.length ?? -1)) this.#texts[c] = shown;
      }
    }
    return [...this.#texts];
  }
}

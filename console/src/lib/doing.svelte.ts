// What is done on a page, with the words for what came of it.
import { messageOf } from './api';

/** What was done last, or why it failed. After each thing the page shows what there is then. */
export class Doing {
  failed = $state('');
  said = $state('');

  /** list gets what the page shows, left is called where something was done after which there is no page any more. */
  constructor(
    private readonly list: () => Promise<void>,
    private readonly left: () => void = () => {},
  ) {}

  /** Does something and says what was done; where that says nothing the page is left. */
  async do(what: () => Promise<string | undefined>): Promise<void> {
    this.failed = this.said = '';
    try {
      const words = await what();
      if (words === undefined) return this.left();
      this.said = words;
    } catch (cause) {
      this.failed = messageOf(cause);
    }
    try {
      await this.list();
    } catch (cause) {
      this.failed ||= messageOf(cause);
    }
  }
}

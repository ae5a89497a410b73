// What is done on a page, with the words for what came of it.
import { messageOf } from './api';

/** What was done last, or why it failed. After each thing the page shows what there is then. */
export class Doing {
  failed = $state('');
  said = $state('');
  private before: Promise<void> = Promise.resolve();

  /** list gets what the page shows, left is called where something was done after which there is no page any more. */
  constructor(
    private readonly list: () => Promise<void>,
    private readonly left: () => void = () => {},
  ) {}

  /**
   * Does something, and says what was done once the page shows it; where that says nothing the page
   * is left. One thing is done after another, so that no older list takes the place of a newer one.
   */
  do(what: () => Promise<string | undefined>): Promise<void> {
    this.before = this.before.then(() => this.one(what));
    return this.before;
  }

  private async one(what: () => Promise<string | undefined>): Promise<void> {
    this.failed = this.said = '';
    let said = '';
    let failed = '';
    try {
      const words = await what();
      if (words === undefined) return this.left();
      said = words;
    } catch (cause) {
      failed = messageOf(cause);
    }
    try {
      await this.list();
    } catch (cause) {
      failed ||= messageOf(cause);
    }
    [this.said, this.failed] = [said, failed];
  }
}

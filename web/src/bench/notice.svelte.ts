/** What the bench has to say: one line at a time, until the next change. */
export class Notice {
  text = $state('');

  say(e: unknown): void {
    this.text = e instanceof Error ? e.message : String(e);
  }
  clear(): void {
    this.text = '';
  }
}

// Pictures that are asked for a few at a time, so that what the editor does next does not
// wait for them.

/** At once; a browser has six connections to a server. */
const atOnce = 2;

export class Pictures {
  /** By their address, those that are here. */
  urls = $state<Record<string, string>>({});
  private asked = new Set<string>();
  private wanted: string[] = [];
  private going = 0;
  private gone = new AbortController();

  /** These are wanted now, the first first; what was wanted before and not begun is not any more. */
  want(addresses: string[]): void {
    this.wanted = addresses.filter((a) => !this.asked.has(a));
    this.next();
  }
  close(): void {
    this.gone.abort();
    for (const url of Object.values(this.urls)) URL.revokeObjectURL(url);
  }

  private next(): void {
    while (this.going < atOnce) {
      const address = this.wanted.shift();
      if (!address) return;
      this.asked.add(address);
      this.going++;
      void this.get(address).finally(() => {
        this.going--;
        if (!this.gone.signal.aborted) this.next();
      });
    }
  }
  private async get(address: string): Promise<void> {
    try {
      const r = await fetch(address, { signal: this.gone.signal });
      if (!r.ok) throw new Error(r.statusText);
      const url = URL.createObjectURL(await r.blob());
      const picture = new Image(); // decoded before it is shown, or painting waits for it
      picture.src = url;
      await picture.decode();
      this.urls = { ...this.urls, [address]: url };
    } catch {
      this.asked.delete(address); // asked for again when it is wanted again
    }
  }
}

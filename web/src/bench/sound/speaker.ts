// Plays a shot's sound in step with its pictures, at any speed and backwards. It knows nothing
// but times: who plays the pictures says where they are, and the sound follows.

/** Where the sound comes from. */
export interface Source {
  rate: number; // samples a second
  /** The address of so many seconds from a time of the shot. */
  address(from: number, seconds: number): string;
}

const chunk = 4; // s, fetched at a time
const ahead = 2.5; // s, scheduled before they are heard
const kept = 24; // chunks
const apart = 0.07; // s that the sound may be off the picture before it is set right
const start = 0.03; // s from asking to sounding
const ramp = 0.004; // s, so that a grain does not click

export class Speaker {
  private context: AudioContext | undefined;
  private gain: GainNode | undefined;
  private chunks = new Map<string, Promise<AudioBuffer | undefined>>();
  private nodes = new Set<AudioBufferSourceNode>();
  private run: { speed: number; at: number; time: number; next: number; turn: number } | undefined;
  private turns = 0;

  constructor(private source: Source) {}

  set level(v: number) {
    this.volume = v;
    if (this.gain) this.gain.gain.value = v;
  }
  private volume = 1;

  /** The time of the shot that is heard now, s. */
  get heard(): number | undefined {
    const { run, context } = this;
    return run && context && run.time + (context.currentTime - run.at) * run.speed;
  }

  /** The pictures are at this time, s, and go on at this speed; 0 stops the sound. */
  follow(time: number, speed: number): void {
    if (speed === 0 || this.volume === 0) return this.stop();
    if (this.open().state !== 'running') return; // until somebody has touched the page
    const heard = this.heard;
    if (heard === undefined || this.run!.speed !== speed || Math.abs(heard - time) > apart * Math.abs(speed))
      this.begin(time, speed);
    this.fill();
  }

  stop(): void {
    this.run = undefined;
    this.turns++;
    for (const n of this.nodes) n.stop();
    this.nodes.clear();
  }

  close(): void {
    this.stop();
    void this.context?.close();
    this.context = undefined;
  }

  /** Forgets what was fetched: the sound has become another. */
  forget(): void {
    this.chunks.clear();
  }

  /** A single picture's sound. */
  async grain(time: number, seconds: number): Promise<void> {
    this.stop();
    if (this.volume === 0) return;
    const turn = this.turns;
    const context = this.open();
    const i = Math.floor(time / chunk);
    const buffer = await this.get(i, false);
    if (!buffer || turn !== this.turns) return;
    const soft = context.createGain();
    soft.connect(this.gain!);
    const at = context.currentTime + 0.005;
    soft.gain.setValueAtTime(0, at);
    soft.gain.linearRampToValueAtTime(1, at + ramp);
    soft.gain.setValueAtTime(1, at + seconds - ramp);
    soft.gain.linearRampToValueAtTime(0, at + seconds);
    this.sound(buffer, soft, at, 1, time - i * chunk, seconds);
  }

  private open(): AudioContext {
    if (!this.context) {
      this.context = new AudioContext({ sampleRate: this.source.rate, latencyHint: 'interactive' });
      this.gain = this.context.createGain();
      this.gain.gain.value = this.volume;
      this.gain.connect(this.context.destination);
    }
    void this.context.resume();
    return this.context;
  }

  private begin(time: number, speed: number): void {
    this.stop();
    const context = this.open();
    const next = speed > 0 ? Math.floor(time / chunk) : Math.ceil(time / chunk) - 1;
    this.run = { speed, at: context.currentTime + start, time: time + start * speed, next, turn: this.turns };
  }

  /** Schedules what comes next. */
  private fill(): void {
    const { run, context } = this;
    if (!run || !context) return;
    const way = Math.sign(run.speed);
    for (;;) {
      // Where the next chunk begins to be heard, in the context's time.
      const edge = way > 0 ? run.next * chunk : (run.next + 1) * chunk;
      const at = run.at + (edge - run.time) / run.speed;
      if (at > context.currentTime + ahead || run.next < 0) return;
      const i = run.next;
      run.next += way;
      void this.get(i, way < 0).then((buffer) => {
        if (!buffer || run.turn !== this.turns) return;
        const late = Math.max(context.currentTime + 0.005 - at, Math.max(run.at - at, 0));
        const offset = late * Math.abs(run.speed);
        if (offset < buffer.duration) this.sound(buffer, this.gain!, at + late, Math.abs(run.speed), offset);
      });
    }
  }

  private sound(b: AudioBuffer, to: AudioNode, at: number, speed: number, offset: number, seconds?: number): void {
    const node = this.context!.createBufferSource();
    node.buffer = b;
    node.playbackRate.value = speed;
    node.connect(to);
    node.onended = () => this.nodes.delete(node);
    node.start(at, offset, seconds);
    this.nodes.add(node);
  }

  /** A chunk of the sound, or of it backwards. */
  private get(i: number, backwards: boolean): Promise<AudioBuffer | undefined> {
    const key = `${i}${backwards ? ' back' : ''}`;
    let got = this.chunks.get(key);
    if (!got) {
      const from = i * chunk;
      got = backwards
        ? this.get(i, false).then((b) => b && this.reversed(b))
        : this.load(this.source.address(from, chunk));
      this.chunks.set(key, got);
      while (this.chunks.size > kept) this.chunks.delete(this.chunks.keys().next().value!);
    }
    return got;
  }

  private async load(url: string): Promise<AudioBuffer | undefined> {
    try {
      const r = await fetch(url);
      return r.ok ? await this.context!.decodeAudioData(await r.arrayBuffer()) : undefined;
    } catch {
      return undefined;
    }
  }

  private reversed(b: AudioBuffer): AudioBuffer {
    const out = new AudioBuffer({ length: b.length, numberOfChannels: b.numberOfChannels, sampleRate: b.sampleRate });
    for (let c = 0; c < b.numberOfChannels; c++) out.copyToChannel(b.getChannelData(c).slice().reverse(), c);
    return out;
  }
}

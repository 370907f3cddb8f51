/** Plays a motion: which time it is, told to whoever draws it. Outside of React, so that a picture costs no rendering. */

export interface Played {
  /** Seconds since the motion began. */
  time: number;
  isPlaying: boolean;
  /** Pictures that there was no time for since it was started. */
  skipped: number;
}

type Listener = (played: Played) => void;

export class Player {
  private played: Played = { time: 0, isPlaying: false, skipped: 0 };
  private readonly listeners = new Set<Listener>();
  private readonly states = new Set<() => void>();
  private request = 0;
  private before = 0;
  private picture = 0;
  speed = 1;
  rate = 24;
  /** Where it ends; infinite for one that goes on. */
  end = Number.POSITIVE_INFINITY;
  /** A range that is played again and again, in seconds; null: all of it. */
  range: readonly [number, number] | null = null;

  /** Told of every picture. */
  readonly listen = (listener: Listener): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  /** Told when it begins, halts or is put elsewhere: for React. */
  readonly subscribe = (listener: () => void): (() => void) => {
    this.states.add(listener);
    return () => this.states.delete(listener);
  };

  readonly now = (): Played => this.played;

  play(): void {
    if (this.played.isPlaying) return;
    const [from, to] = this.range ?? [0, this.end];
    const { time: here } = this.played;
    const time = here >= to || here < from ? from : here;
    this.before = performance.now();
    this.picture = Math.floor(time * this.rate + 1e-6);
    this.become({ time, isPlaying: true, skipped: 0 }, true);
    this.request = requestAnimationFrame(this.next);
  }

  halt(): void {
    cancelAnimationFrame(this.request);
    // On a picture, where keys are.
    this.become({ ...this.played, time: this.rounded(this.played.time), isPlaying: false }, true);
  }

  seek(time: number): void {
    this.before = performance.now();
    const at = Math.max(0, Math.min(this.rounded(time), this.end));
    this.picture = Math.floor(at * this.rate + 1e-6);
    this.become({ ...this.played, time: at }, true);
  }

  private readonly rounded = (time: number) => Math.round(time * this.rate) / this.rate;

  private readonly next = (): void => {
    const now = performance.now();
    let time = Math.min(this.played.time + ((now - this.before) / 1000) * this.speed, this.end);
    this.before = now;
    if (this.range && time >= this.range[1]) {
      time = this.range[0];
      this.picture = Math.floor(time * this.rate + 1e-6) - 1;
    }
    const picture = Math.floor(time * this.rate + 1e-6);
    const skipped = this.played.skipped + Math.max(0, picture - this.picture - 1);
    const isNew = picture !== this.picture;
    this.picture = picture;
    if (time >= this.end && !this.range) {
      this.become({ time, isPlaying: false, skipped }, true);
      return;
    }
    this.played = { time, isPlaying: true, skipped };
    if (isNew) for (const listener of this.listeners) listener(this.played);
    this.request = requestAnimationFrame(this.next);
  };

  private become(played: Played, isState: boolean): void {
    this.played = played;
    for (const listener of this.listeners) listener(played);
    if (isState) for (const listener of this.states) listener();
  }
}

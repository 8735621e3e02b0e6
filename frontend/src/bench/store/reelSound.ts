const APART = 0.2; // seconds that sound and pictures may be apart before an ear notices

/** A reel's sound, heard while its frames come in time. It is fetched when it is first wanted. */
export class ReelSound {
  private audio: HTMLAudioElement | null = null;
  private asked = false;
  private closed = false;
  /** Since when the frames were too late to be heard, in seconds from the reel's beginning. */
  private lateSince: number | null = null;

  constructor(
    private readonly url: string,
    private readonly onWrong: (why: string) => void,
  ) {}

  /** The frame that is seen is so many seconds from the reel's beginning; `steady`: all that come are there already. */
  keepStep(seconds: number, steady: boolean): void {
    if (!this.asked) {
      this.asked = true;
      void this.fetch();
    }
    const { audio } = this;
    // At its end a sound that is played begins anew, also beside pictures that go on.
    if (!audio || seconds >= audio.duration) return;
    const apart = Math.abs(audio.currentTime - seconds) > APART;
    if (!audio.paused && !apart) return;
    // Once late, frames that are still being made stay late up to where the reel begins again.
    if (this.lateSince !== null && !steady && seconds > this.lateSince) return;
    if (!audio.paused && !steady && seconds < audio.currentTime && this.lateSince === null) {
      this.lateSince = seconds;
      audio.pause();
      return;
    }
    this.lateSince = null;
    audio.currentTime = seconds;
    if (audio.paused) void audio.play().catch(this.wrong);
  }

  rest(): void {
    this.lateSince = null;
    this.audio?.pause();
  }

  close(): void {
    this.closed = true;
    this.rest();
    if (this.audio) URL.revokeObjectURL(this.audio.src);
    this.audio = null;
  }

  private readonly wrong = (error: unknown) => {
    // Playing was stopped before the sound had begun.
    if (error instanceof DOMException && error.name === "AbortError") return;
    this.onWrong("The sound cannot be played in this browser. Everything else works.");
  };

  private async fetch(): Promise<void> {
    try {
      const answer = await fetch(this.url);
      if (!answer.ok) throw new Error(((await answer.json()) as { error: string }).error);
      const sound = await answer.blob();
      if (this.closed || sound.size === 0) return;
      this.audio = new Audio(URL.createObjectURL(sound));
    } catch (error) {
      this.onWrong(error instanceof Error ? error.message : String(error));
    }
  }
}

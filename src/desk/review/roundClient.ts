import { createStore } from "zustand/vanilla";
import { freshId } from "../../core/edit/id";
import { newsFrom, withNews } from "../../core/review/news";
import type { NewComment, Round, Verdict } from "../../core/review/said";
import { problemOf } from "../../core/text/problem";
import { ApiError, plain } from "../api";
import { hearEvents } from "../background/events";

export interface Following {
  /** Null until it is there. */
  round: Round | null;
  /** What keeps it from being there, or from being up to date; for the user. */
  problem: string | null;
  /** A comment that the server will not take, and why: to be put right by its writer. */
  refused: { comment: NewComment; why: string } | null;
  /** It is over for whoever looks: link withdrawn or ended. */
  over: boolean;
  /** Comments that the server does not have yet, oldest first; kept in this browser. */
  waiting: NewComment[];
}

/** How often it is asked whether anything is new where events do not get through, ms. */
const POLL_MS = 2000;
const AGAIN_MS = 4000;

/** What a browser gives to follow a round; others in tests. */
export interface RoundPort {
  ask<T>(path: string, method?: string, body?: unknown): Promise<T>;
  /** Puts a picture at an address. */
  picture(path: string, jpeg: Blob): Promise<void>;
  /** Hears the events of an address. @returns what ends that; null where there are none */
  events(path: string, hear: (data: string) => void, lost: () => void): (() => void) | null;
  keep: Pick<Storage, "getItem" | "setItem" | "removeItem">;
}

export const browserPort = (): RoundPort => ({
  ask: plain,
  async picture(path, body) {
    await fetch(path, { method: "PUT", body, headers: { "Content-Type": "image/jpeg" } });
  },
  events: hearEvents,
  keep: localStorage,
});

/** Follows a round: what is said in it, live, and what one says oneself, which is sent once however often it is tried. */
export class RoundClient {
  readonly store = createStore<Following>(() => ({
    round: null,
    problem: null,
    refused: null,
    over: false,
    waiting: [],
  }));
  private readonly pictures = new Map<string, Promise<Blob | null>>();
  private deafen: (() => void) | null = null;
  private poll: ReturnType<typeof setTimeout> | undefined;
  private again: ReturnType<typeof setTimeout> | undefined;
  private sending = false;
  private stopped = false;
  /** Events get through. */
  private heard = false;

  constructor(
    readonly id: string,
    /** The link leads to a later round by now. */
    private readonly onMoved: (round: string) => void,
    private readonly port: RoundPort = browserPort(),
  ) {
    let waiting: NewComment[] = [];
    try {
      waiting = JSON.parse(this.port.keep.getItem(this.key) ?? "[]") as NewComment[];
    } catch {
      // What cannot be read any longer cannot be sent either.
    }
    this.store.setState({ waiting });
  }

  private get key(): string {
    return `plextan-said-${this.id}`;
  }
  private get path(): string {
    return `/api/rounds/${this.id}`;
  }

  /** Begins to follow. */
  start(): void {
    void this.look();
    this.listen();
    void this.flush();
  }

  stop(): void {
    this.stopped = true;
    this.deafen?.();
    clearTimeout(this.poll);
    clearTimeout(this.again);
  }

  private listen(): void {
    this.deafen = this.port.events(
      `${this.path}/feed`,
      (data) => {
        this.heard = true;
        this.hear(data);
      },
      // It comes again by itself; meanwhile, and where it never gets through, it is asked.
      () => {
        this.heard = false;
      },
    );
    const poll = async () => {
      if (!this.heard) await this.look();
      if (!this.stopped) this.poll = setTimeout(() => void poll(), POLL_MS);
    };
    this.poll = setTimeout(() => void poll(), POLL_MS);
  }

  /** Takes in what was told; what that leaves out is asked for. */
  private hear(line: string): void {
    const { round } = this.store.getState();
    const next = round && withNews(round, newsFrom(line));
    if (!next) void this.look();
    else if (next !== round) this.store.setState({ round: next });
  }

  /** Takes in what is new. */
  async look(): Promise<void> {
    const known = this.store.getState().round?.version;
    try {
      const round = await this.port.ask<Round | null>(known === undefined ? this.path : `${this.path}?since=${known}`);
      if (this.stopped) return;
      if (this.store.getState().over) this.store.setState({ over: false });
      // Answers may overtake each other.
      const now = this.store.getState().round;
      if (round && (!now || round.version >= now.version)) this.store.setState({ round });
      if (this.store.getState().problem) this.store.setState({ problem: null });
    } catch (error) {
      this.failed(error);
    }
  }

  private failed(error: unknown): void {
    if (this.stopped) return;
    const next = error instanceof ApiError ? (error.body as { round?: unknown } | null)?.round : null;
    if (typeof next === "string") {
      this.stop();
      this.handOver(next);
      this.onMoved(next);
      return;
    }
    const over = error instanceof ApiError && [401, 404, 410].includes(error.status);
    this.store.setState({ problem: problemOf(error), over });
    // Who only has to sign in again goes on once they have.
    if (over && (error as ApiError).status !== 401) this.stop();
  }

  /**
   * Says something: kept in this browser until the server has it.
   * @param picture of what it is about; one that gets lost with the page is drawn anew where it is looked at
   */
  say(comment: Omit<NewComment, "id">, picture: Promise<Blob | null> | null = null): void {
    const id = freshId();
    if (picture) this.pictures.set(id, picture);
    this.keep([...this.store.getState().waiting, { ...comment, id }]);
    void this.flush();
  }

  /** What was said and has not got through goes to the round that the link leads to now. */
  private handOver(next: string): void {
    const { waiting } = this.store.getState();
    if (waiting.length === 0) return;
    try {
      const key = `plextan-said-${next}`;
      const there = JSON.parse(this.port.keep.getItem(key) ?? "[]") as NewComment[];
      // Answers are to comments that have other ids there: they go as comments of their own.
      const moved = waiting.map((c) => ({ ...c, to: null }));
      this.port.keep.setItem(key, JSON.stringify([...there, ...moved]));
    } catch {
      // Without storage they stay with this round, whose page is still open.
      return;
    }
    this.keep([]);
  }

  private keep(waiting: NewComment[]): void {
    this.store.setState({ waiting });
    try {
      if (waiting.length > 0) this.port.keep.setItem(this.key, JSON.stringify(waiting));
      else this.port.keep.removeItem(this.key);
    } catch {
      // Storage is full or off: it is in this page all the same.
    }
  }

  /** What was said about a refused comment has been read. */
  understood(): void {
    this.store.setState({ refused: null });
  }

  /** Sends what waits, in order; what does not get through is tried again. */
  async flush(): Promise<void> {
    if (this.sending || this.stopped) return;
    this.sending = true;
    clearTimeout(this.again);
    try {
      for (;;) {
        const next = this.store.getState().waiting[0];
        if (!next) break;
        await this.port.ask(`${this.path}/comments`, "POST", next);
        this.keep(this.store.getState().waiting.filter((c) => c.id !== next.id));
        void this.sendPicture(next.id);
      }
      await this.look();
    } catch (error) {
      const refused =
        error instanceof ApiError &&
        error.status >= 400 &&
        ![401, 404, 408, 410, 429].includes(error.status) &&
        error.status < 500;
      if (refused) {
        // It will never be taken as it is: given back to its writer's eyes, not tried for ever.
        const [first, ...rest] = this.store.getState().waiting;
        this.keep(rest);
        if (first) this.store.setState({ refused: { comment: first, why: problemOf(error) } });
        this.again = setTimeout(() => void this.flush(), 0);
      } else {
        this.failed(error);
        if (!this.stopped) this.again = setTimeout(() => void this.flush(), AGAIN_MS);
      }
    } finally {
      this.sending = false;
    }
  }

  private async sendPicture(comment: string): Promise<void> {
    try {
      const jpeg = await this.pictures.get(comment);
      this.pictures.delete(comment);
      if (jpeg) await this.port.picture(`${this.path}/comments/${comment}/picture`, jpeg);
    } catch {
      // It is drawn anew where it is looked at.
    }
  }

  /** Changes words, takes back, settles, decides. @throws ApiError in words for the user */
  private async act(path: string, method: string, body?: unknown): Promise<void> {
    await this.port.ask(`${this.path}${path}`, method, body);
    await this.look();
  }
  change(comment: string, text: string): Promise<void> {
    return this.act(`/comments/${comment}`, "PATCH", { text });
  }
  takeBack(comment: string): Promise<void> {
    return this.act(`/comments/${comment}`, "DELETE");
  }
  /** @param edit what settled it, in words */
  settle(comment: string, settled: boolean, edit: string | null = null): Promise<void> {
    return this.act(`/comments/${comment}`, "PATCH", { settled, edit });
  }
  decide(step: string, verdict: Verdict): Promise<void> {
    return this.act("/decisions", "POST", { step, verdict });
  }
}

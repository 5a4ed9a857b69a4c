import type { Round, RoundLine } from "../../core/review/said";
import { json, plain } from "../api";
import type { Desk } from "../port";
import { browserPort, RoundClient, type RoundPort } from "../review/roundClient";

/** Follows the rounds of the sequence that is open: the list of them, and what is said in one, live. */
export class RoundWatch {
  rounds: RoundLine[] = [];
  client: RoundClient | null = null;
  private leave: (() => void) | null = null;
  private readonly ended: () => void;
  private readonly listeners = new Set<() => void>();

  constructor(
    private readonly desk: Desk,
    private readonly port: () => RoundPort = () => ({ ...browserPort(), ask: plain }),
  ) {
    let sequence = desk.state.sequenceId;
    this.ended = desk.store.subscribe((s) => {
      if (s.sequenceId === sequence) return;
      sequence = s.sequenceId;
      this.follow(this.latest());
    });
    void this.look();
  }

  subscribe = (heard: () => void) => {
    this.listeners.add(heard);
    return () => this.listeners.delete(heard);
  };

  /** Rounds of the sequence that is open, newest first. */
  own(): RoundLine[] {
    return this.rounds.filter((r) => r.sequence === this.desk.state.sequenceId);
  }
  private latest(): string | null {
    return this.own()[0]?.id ?? null;
  }

  /** Asks which rounds there are. What cannot be reached is asked again when the list is opened. */
  async look(): Promise<void> {
    try {
      const { rounds } = await json<{ rounds: RoundLine[] }>(`/api/projects/${this.desk.state.projectId}/rounds`);
      this.rounds = rounds;
      const id = this.client?.id;
      if (this.client?.store.getState().over) this.follow(null);
      if (!id || !this.own().some((r) => r.id === id)) this.follow(this.latest());
      this.tell();
    } catch {
      // Comments are beside the work; saving says what is wrong with the connection.
    }
  }

  private tell(): void {
    for (const l of this.listeners) l();
  }

  /** Follows a round; null for none. */
  follow(id: string | null): void {
    if (id !== null && id === this.client?.id) return;
    this.leave?.();
    this.client?.stop();
    this.client = null;
    this.show(null);
    if (id !== null) {
      const client = new RoundClient(id, () => void this.look(), this.port());
      this.client = client;
      let newer = 0;
      this.leave = client.store.subscribe(({ round }) => {
        this.show(round);
        // Somebody else has sent the next: it is followed in place of the one that was the last.
        const next = round?.newer;
        if (!next || next.number <= newer) return;
        newer = next.number;
        const wasLast = this.latest() === id;
        void this.look().then(() => {
          if (wasLast && this.client === client) this.follow(this.latest());
        });
      });
      client.start();
    }
    this.tell();
  }

  private show(round: Round | null): void {
    const { reviewing } = this.desk.state;
    if (reviewing.round !== round) this.desk.set({ reviewing: { ...reviewing, round } });
  }

  dispose(): void {
    this.ended();
    this.leave?.();
    this.client?.stop();
  }
}

const watches = new WeakMap<Desk, RoundWatch>();

/** The rounds of a desk; followed from the first time it is asked for. */
export function roundsOf(desk: Desk): RoundWatch {
  let watch = watches.get(desk);
  if (!watch) {
    watch = new RoundWatch(desk);
    watches.set(desk, watch);
  }
  return watch;
}

/** Ends following. */
export function endRounds(desk: Desk): void {
  watches.get(desk)?.dispose();
  watches.delete(desk);
}

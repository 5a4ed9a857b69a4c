import type { DocumentBody, DocumentKind } from "../../core/document/parse";
import type { Sequence } from "../../core/document/sequence";
import { freshId } from "../../core/edit/id";
import { json } from "../api";
import { takeRevision } from "../documents/revising";
import type { Desk } from "../port";
import type { Other } from "../state";
import { hearEvents } from "./events";

/** What the server tells of a project. */
export interface ProjectNews {
  documents: Record<string, number>;
  /** The newest revision of the CAD file. */
  assembly: number;
  people: Other[];
}

/** How the server is asked; another in tests. */
export interface TogetherPort {
  /** Hears news of a project. @returns what ends that; null where there are no events */
  events(path: string, hear: (data: string) => void, lost: () => void): (() => void) | null;
  ask<T>(path: string, body?: unknown): Promise<T>;
  /** Puts a revision of the CAD file on the desk that somebody else put in place. */
  takeRevision(desk: Desk, number: number, ended: () => boolean): Promise<void>;
  /** Tells something while the page is being closed. */
  farewell(path: string, body: unknown): void;
}

export const togetherPort = (): TogetherPort => ({
  events: hearEvents,
  ask: (path, body) => json(path, body === undefined ? {} : { body }),
  takeRevision,
  farewell: (path, body) =>
    void fetch(path, {
      ...{ method: "POST", keepalive: true, body: JSON.stringify(body) },
      headers: { "Content-Type": "application/json" },
    }).catch(() => {}),
});

/** Where events do not get through it is asked so often, ms. */
const POLL_MS = 1500;
/** It is said so often that one is still there, ms; after 12 s without one is taken for gone. */
const HERE_MS = 4000;
/** Another step is told at most so often, ms: who scrubs passes many. */
const STEP_MS = 700;

/**
 * Works on the same sequence with others: what they do appears here, and who is where is known. Pending poses and
 * whatever is not kept stay with whoever makes them.
 * @returns a function that ends it
 */
export function workTogether(desk: Desk, port: TogetherPort = togetherPort()): () => void {
  const path = `/api/projects/${desk.state.projectId}`;
  const tab = freshId();
  let heard = false;
  let ended = false;

  let revising = false;
  const news = ({ documents, assembly, people }: ProjectNews) => {
    if (ended) return;
    if (assembly > desk.state.assembly.number && !revising) {
      revising = true;
      void port
        .takeRevision(desk, assembly, () => ended)
        .finally(() => {
          revising = false;
        });
    }
    const known = new Set([desk.state.preparation.id, ...desk.state.sequences.map((s) => s.id)]);
    for (const [id, revision] of Object.entries(documents))
      if (known.has(id) && revision > desk.documents.revisionOf(id)) void desk.documents.pull(id);
    if (Object.keys(documents).some((id) => !known.has(id))) void takeInNew();
    const others = people.filter((p) => p.tab !== tab);
    if (JSON.stringify(others) !== JSON.stringify(desk.state.others)) desk.set({ others });
  };

  let taking = false;
  /** Sequences that somebody else made. */
  const takeInNew = async () => {
    if (taking) return;
    taking = true;
    try {
      const { documents } = await port.ask<{
        documents: { id: string; kind: DocumentKind; revision: number; body: DocumentBody }[];
      }>(`${path}/documents`);
      for (const d of documents)
        if (d.kind === "sequence" && !desk.state.sequences.some((s) => s.id === d.id))
          desk.addSequence(d.id, d.body as Sequence, d.revision);
    } catch {
      // The next news asks again.
    } finally {
      taking = false;
    }
  };

  const deafen = port.events(
    `${path}/feed`,
    (data) => {
      heard = true;
      news(JSON.parse(data) as ProjectNews);
    },
    () => {
      heard = false;
    },
  );
  let polling: ReturnType<typeof setTimeout> | undefined;
  const poll = async () => {
    if (!heard) await port.ask<ProjectNews>(`${path}/presence`).then(news, () => {});
    if (!ended) polling = setTimeout(() => void poll(), POLL_MS);
  };
  polling = setTimeout(() => void poll(), POLL_MS);

  const here = () => ({ tab, sequence: desk.state.sequenceId, step: desk.here() });
  let told = "";
  let telling: ReturnType<typeof setTimeout> | undefined;
  const tell = () => {
    clearTimeout(telling);
    const at = here();
    told = at.sequence + at.step;
    // Whether it got through is seen by the others.
    port.ask(`${path}/presence`, at).catch(() => {});
    if (!ended) telling = setTimeout(tell, HERE_MS);
  };
  tell();
  let soon: ReturnType<typeof setTimeout> | undefined;
  const leave = desk.store.subscribe(() => {
    // While it plays it is no step's turn.
    if (soon || desk.state.playing) return;
    const at = here();
    if (at.sequence + at.step === told) return;
    soon = setTimeout(() => {
      soon = undefined;
      const now = here();
      if (!ended && now.sequence + now.step !== told) tell();
    }, STEP_MS);
  });
  const close = () => port.farewell(`${path}/presence`, { ...here(), leaves: true });
  if (typeof window !== "undefined") window.addEventListener("pagehide", close);

  return () => {
    ended = true;
    deafen?.();
    leave();
    clearTimeout(polling);
    clearTimeout(telling);
    clearTimeout(soon);
    if (typeof window !== "undefined") window.removeEventListener("pagehide", close);
    close();
  };
}

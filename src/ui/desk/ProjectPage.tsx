"use client";
import { Button, Progress } from "antd";
import Link from "next/link";
import { useCallback, useEffect, useRef, useState } from "react";
import type { DocumentBody, DocumentKind } from "../../core/document/parse";
import { problemOf } from "../../core/text/problem";
import { isOut, json } from "../../desk/api";
import { Arrival } from "../../desk/background/arrival";
import { lightsOf, lightsReady } from "../../desk/background/lights";
import { type Arriving, loadAssembly } from "../../desk/background/loadAssembly";
import { OpenDesk } from "../../desk/desk";
import { sendEdits } from "../../desk/documents/deskDocuments";
import { StoredOutbox } from "../../desk/documents/outbox";
import { recover } from "../../desk/documents/recover";
import { connectRevisions } from "../../desk/documents/revising";
import { livingSessions } from "../../desk/documents/session";
import { caughtUp, lostOf, tabName, UndoStore } from "../../desk/documents/undoStore";
import type { Desk } from "../../desk/port";
import type { AssemblyState } from "../../desk/state";
import { Wordmark } from "../common/Wordmark";
import { ArrivingView } from "./ArrivingView";
import { BringIn } from "./BringIn";
import { DeskContext } from "./context";
import { DeskView } from "./DeskView";

interface ProjectAnswer {
  project: { id: string; name: string };
  revision: AssemblyState | null;
  job: { id: string; fileName: string } | null;
  locked: string | null;
}

type Phase =
  | { kind: "loading"; text: string; share: number | null; arrival?: Arrival }
  | { kind: "bring-in"; name: string; job: ProjectAnswer["job"] }
  | { kind: "ready"; desk: Desk }
  /** `out`: whoever asks has to sign in first. */
  | { kind: "failed"; text: string; out: boolean };

/** An assembly that takes longer than this to come is shown as it comes, ms. */
const MOMENT_MS = 500;

/** One project: loads what there is and opens the desk, or asks for an assembly. */
export function ProjectPage({ id }: { id: string }) {
  const [phase, setPhase] = useState<Phase>({ kind: "loading", text: "Opening the project", share: null });
  const [round, setRound] = useState(0);
  const desk = useRef<OpenDesk | null>(null);

  const open = useCallback(
    async (alive: () => boolean, abort: AbortController) => {
      const answer = await json<ProjectAnswer>(`/api/projects/${id}`, { signal: abort.signal });
      if (!alive()) return;
      if (!answer.revision) {
        setPhase({ kind: "bring-in", name: answer.project.name, job: answer.job });
        return;
      }
      const load = () =>
        json<{ documents: { id: string; kind: DocumentKind; revision: number; body: DocumentBody }[] }>(
          `/api/projects/${id}/documents`,
        );
      let { documents } = await load();
      const outbox = new StoredOutbox();
      const recovered = await recover({
        project: id,
        documents: documents.map((d) => ({ id: d.id, name: "name" in d.body ? d.body.name : "Preparation" })),
        outbox,
        send: sendEdits,
        living: livingSessions,
      });
      if (recovered.sent > 0) ({ documents } = await load());
      const undoStore = new UndoStore(`${id} ${tabName()}`);
      // Where it cannot be read, nothing can be undone from before; that keeps nobody from working.
      const kept = await undoStore.load().catch(() => null);
      const undo = kept && (await caughtUp(kept, documents).catch(() => null));
      const lost = kept && lostOf(kept, undo);
      const arrival = new Arrival();
      const hear = (arriving: Arriving) => {
        if (!alive()) return;
        arrival.take(arriving);
        if (arriving.stage !== "download") return;
        setPhase({ kind: "loading", text: "Loading the assembly", share: arriving.share, arrival });
      };
      const lights = documents.flatMap((d) => ("looks" in d.body ? lightsOf(d.body) : []));
      const [assembly] = await Promise.all([loadAssembly(id, abort.signal, hear, MOMENT_MS), lightsReady(lights)]);
      if (!alive()) return;
      const asides = await outbox.asides(id).catch(() => recovered.asides);
      const { number, fileName, settings, identities } = answer.revision;
      desk.current = new OpenDesk({
        projectId: id,
        projectName: answer.project.name,
        assembly: { number, fileName, settings, identities },
        ...assembly,
        documents,
        outbox,
        asides,
        undo,
        undoStore,
        locked: answer.locked,
      });
      connectRevisions(desk.current);
      setPhase({ kind: "ready", desk: desk.current });
      if (lost) desk.current.notify("info", lost);
      if (recovered.sent > 0)
        desk.current.notify(
          "info",
          `${recovered.sent} change${recovered.sent === 1 ? "" : "s"} from an interrupted session ${recovered.sent === 1 ? "was" : "were"} saved now.`,
        );
      const left = recovered.asides.reduce((n, a) => n + a.edits.length, 0);
      if (left > 0)
        desk.current.notify(
          "problem",
          `${left} change${left === 1 ? "" : "s"} from an interrupted session could not be saved and ${left === 1 ? "is" : "are"} set aside (see the head).`,
        );
    },
    [id],
  );
  useEffect(() => {
    let live = true;
    const abort = new AbortController();
    setPhase({ kind: "loading", text: "Opening the project", share: null });
    open(() => live, abort).catch((e: unknown) => {
      if (live) setPhase({ kind: "failed", text: problemOf(e), out: isOut(e) });
    });
    return () => {
      live = false;
      abort.abort();
      desk.current?.dispose();
      desk.current = null;
    };
  }, [open, round]);

  if (phase.kind === "ready") {
    return (
      <DeskContext.Provider value={phase.desk}>
        <DeskView />
      </DeskContext.Provider>
    );
  }
  if (phase.kind === "loading" && phase.arrival?.assembly)
    return (
      <main>
        <ArrivingView arrival={phase.arrival} assembly={phase.arrival.assembly} share={phase.share} />
      </main>
    );
  return (
    <main className="waiting">
      <Link href="/" aria-label="All projects">
        <Wordmark />
      </Link>
      {phase.kind === "loading" && (
        <div className="waiting-box">
          <p>{phase.text} …</p>
          <Progress
            percent={phase.share === null ? 100 : Math.round(phase.share * 100)}
            status={phase.share === null ? "active" : "normal"}
            showInfo={phase.share !== null}
          />
        </div>
      )}
      {phase.kind === "failed" && (
        <div className="waiting-box" role="alert">
          <p className="problem">{phase.text}</p>
          {phase.out ? (
            <Button type="primary" href={`/sign-in?to=/project/${id}`}>
              Sign in
            </Button>
          ) : (
            <Button onClick={() => setRound((r) => r + 1)}>Try again</Button>
          )}{" "}
          <Link href="/">All projects</Link>
        </div>
      )}
      {phase.kind === "bring-in" && (
        <BringIn projectId={id} name={phase.name} running={phase.job} onDone={() => setRound((r) => r + 1)} />
      )}
    </main>
  );
}

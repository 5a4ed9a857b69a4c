"use client";
import { Button, Progress } from "antd";
import { PackageOpen } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { json, upload } from "../common/api";

interface JobAnswer {
  state: "waiting" | "running" | "done" | "failed" | "cancelled";
  stage: string;
  share: number | null;
  error: string | null;
}

const STAGES = ["upload", "read", "mesh", "store"] as const;
type StageName = (typeof STAGES)[number];
const TEXT: Record<StageName, string> = { upload: "Upload", read: "Read", mesh: "Mesh", store: "Store" };

type State = { kind: "idle"; problem: string | null } | { kind: "busy"; file: string; stage: StageName; share: number | null };

/** The way into an empty project: drop a CAD file, watch it come in stage by stage, cancel at any time. */
export function BringIn({ projectId, name, running, onDone }: { projectId: string; name: string; running: { id: string; fileName: string } | null; onDone: () => void }) {
  const [state, setState] = useState<State>({ kind: "idle", problem: null });
  const [over, setOver] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  const cancel = useRef<(() => void) | null>(null);
  const alive = useRef(true);

  /** Watches a job to its end. Leaving the page only stops the watching. */
  const follow = async (fileName: string, begin: (signal: AbortSignal, show: (share: number) => void) => Promise<string>) => {
    const abort = new AbortController();
    let job: string | null = null;
    cancel.current = () => {
      abort.abort();
      if (job) void json(`/api/jobs/${job}`, { method: "DELETE" }).catch(() => {});
    };
    const show = (stage: StageName, share: number | null) => alive.current && setState({ kind: "busy", file: fileName, stage, share });
    try {
      job = await begin(abort.signal, (share) => show("upload", share));
      while (alive.current) {
        if (abort.signal.aborted) throw new DOMException("cancelled", "AbortError");
        const j = await json<JobAnswer>(`/api/jobs/${job}`);
        if (j.state === "done") {
          if (alive.current) onDone();
          return;
        }
        if (j.state === "failed") throw new Error(j.error ?? "The file could not be read.");
        if (j.state === "cancelled") throw new DOMException("cancelled", "AbortError");
        show((STAGES as readonly string[]).includes(j.stage) ? (j.stage as StageName) : "read", j.share);
        await new Promise((r) => setTimeout(r, 250));
      }
    } catch (e) {
      const aborted = e instanceof DOMException && e.name === "AbortError";
      if (alive.current) setState({ kind: "idle", problem: aborted ? "Cancelled. Nothing was changed." : (e as Error).message });
    }
  };
  const start = (file: File) =>
    follow(file.name, async (signal, progress) => {
      progress(0);
      const answer = await upload<{ job: string }>(`/api/projects/${projectId}/source?name=${encodeURIComponent(file.name)}`, file, progress, signal);
      return answer.job;
    });

  // Once: for the job found when the page was opened.
  useEffect(() => {
    alive.current = true;
    if (running) void follow(running.fileName, async () => running.id);
    return () => {
      alive.current = false;
    };
  }, []);

  if (state.kind === "busy") {
    const at = STAGES.indexOf(state.stage);
    return (
      <div className="waiting-box" aria-live="polite">
        <h2>{name}</h2>
        <p>Bringing in {state.file}</p>
        <ol className="stages">
          {STAGES.map((s, i) => (
            <li key={s} className={i < at ? "done" : i === at ? "now" : ""}>
              <span>{TEXT[s]}</span>
              <Progress
                size="small"
                percent={i < at ? 100 : i === at ? Math.round((state.share ?? 1) * 100) : 0}
                status={i === at ? "active" : "normal"}
                showInfo={i === at && state.share !== null}
              />
            </li>
          ))}
        </ol>
        <p className="soft">{state.stage === "read" ? "Large assemblies take a minute or two. You can leave this page; the work goes on." : " "}</p>
        <Button onClick={() => cancel.current?.()}>Cancel</Button>
      </div>
    );
  }
  return (
    <section
      className={`drop ${over ? "over" : ""}`}
      aria-label="Bring in an assembly"
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        const file = e.dataTransfer.files[0];
        if (file) void start(file);
      }}
    >
      <PackageOpen size={40} strokeWidth={1.2} />
      <h2>{name}</h2>
      <p>Drop a CAD assembly here: STEP (.step, .stp; up to 33 MB) or GLB (up to 104 MB).</p>
      <Button type="primary" size="large" onClick={() => input.current?.click()}>
        Choose a file
      </Button>
      <input
        ref={input}
        type="file"
        accept=".step,.stp,.p21,.glb"
        hidden
        aria-label="CAD file"
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = "";
          if (file) void start(file);
        }}
      />
      {state.problem && (
        <p className="problem" role="alert">
          {state.problem}
        </p>
      )}
    </section>
  );
}

"use client";
import { useEffect, useRef, useState } from "react";
import { IMPORT_DEFAULTS, type ImportSettings, settingsQuery } from "../../core/assembly/importSettings";
import { problemOf } from "../../core/text/problem";
import { upload } from "../../desk/api";
import { followJob, type StageName } from "../../desk/background/followJob";
import { leavesUnitOpen, packFiles, type SourceUpload } from "../../desk/background/sourceWorker";

export type BringInState =
  | { kind: "idle"; problem: string | null }
  | { kind: "settings"; source: SourceUpload }
  /** Files that belong to those given are not there yet. */
  | { kind: "missing"; source: SourceUpload; files: File[]; problem: string | null }
  | { kind: "busy"; file: string; stage: StageName; share: number | null };

/**
 * Takes files into a project: packs, uploads and follows the reading job; asks for unit and up axis where the file
 * does not say. `onDone` gets the job. A revision begins with the settings that the present file was read with.
 */
export function useBringIn(
  projectId: string,
  purpose: "first" | "revision",
  onDone: (job: string, fileName: string) => void,
  initial: ImportSettings = IMPORT_DEFAULTS,
  /** The files join those of the present assembly. */
  beside = false,
) {
  const [state, setState] = useState<BringInState>({ kind: "idle", problem: null });
  const [settings, setSettings] = useState<ImportSettings>(initial);
  const abort = useRef<AbortController | null>(null);
  const alive = useRef(true);
  useEffect(() => {
    alive.current = true;
    return () => {
      // Leaving the page only stops the watching; the work goes on.
      alive.current = false;
    };
  }, []);

  const run = async (
    fileName: string,
    begin: (signal: AbortSignal, show: (stage: StageName, share: number | null) => void) => Promise<string>,
  ) => {
    const control = new AbortController();
    abort.current = control;
    const show = (stage: StageName, share: number | null) =>
      alive.current && setState({ kind: "busy", file: fileName, stage, share });
    try {
      const job = await begin(control.signal, show);
      await followJob(job, control.signal, (stage, share) => {
        if (!alive.current) throw new DOMException("left", "AbortError");
        show(stage, share);
      });
      if (alive.current) onDone(job, fileName);
    } catch (e) {
      const aborted = e instanceof DOMException && e.name === "AbortError";
      if (alive.current)
        setState({ kind: "idle", problem: aborted ? "Cancelled. Nothing was changed." : problemOf(e) });
    }
  };
  const send = (source: SourceUpload) =>
    run(source.name, async (signal, show) => {
      show("upload", 0);
      const query = `name=${encodeURIComponent(source.name)}&purpose=${purpose}&${settingsQuery(settings)}${beside ? "&beside=true" : ""}`;
      const answer = await upload<{ job: string }>(
        `/api/projects/${projectId}/source?${query}`,
        source.data,
        (share) => show("upload", share),
        signal,
      );
      return answer.job;
    });
  /** Begins with files as they were dropped or chosen. */
  const start = async (files: File[]) => {
    try {
      const source = await packFiles(files, beside);
      if (source.missing.length > 0) setState({ kind: "missing", source, files, problem: null });
      else if (leavesUnitOpen(files)) {
        setSettings((s) => ({ ...s, unit: s.unit ?? "mm" }));
        setState({ kind: "settings", source });
      } else await send(source);
    } catch (e) {
      const problem = problemOf(e);
      // What was given before a bad addition is still there.
      setState((s) => (s.kind === "missing" ? { ...s, problem } : { kind: "idle", problem }));
    }
  };
  const follow = (job: string, fileName: string) => run(fileName, async () => job);
  const cancel = () => abort.current?.abort();
  const back = () => setState({ kind: "idle", problem: null });
  return { state, settings, setSettings, start, send, follow, cancel, back };
}

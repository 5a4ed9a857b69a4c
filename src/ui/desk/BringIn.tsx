"use client";
import { Button } from "antd";
import { useEffect } from "react";
import { DropFiles } from "../source/DropFiles";
import { JobProgress } from "../source/JobProgress";
import { MeshPreview } from "../source/MeshPreview";
import { MissingFiles } from "../source/MissingFiles";
import { ReadSettings } from "../source/ReadSettings";
import { useBringIn } from "../source/useBringIn";

/** The way into an empty project: drop a CAD file, watch it come in stage by stage, cancel at any time. */
export function BringIn({
  projectId,
  name,
  running,
  onDone,
}: {
  projectId: string;
  name: string;
  running: { id: string; fileName: string } | null;
  onDone: () => void;
}) {
  const { state, settings, setSettings, start, send, follow, cancel, back } = useBringIn(projectId, "first", onDone);

  // Once: for the job found when the page was opened.
  useEffect(() => {
    if (running) void follow(running.id, running.fileName);
  }, []);

  if (state.kind === "busy") {
    return (
      <div className="waiting-box">
        <h2>{name}</h2>
        <JobProgress file={state.file} stage={state.stage} share={state.share} onCancel={cancel} />
      </div>
    );
  }
  if (state.kind === "missing") {
    return (
      <div className="waiting-box wide">
        <h2>{name}</h2>
        <MissingFiles
          source={state.source}
          problem={state.problem}
          onAdd={(more) => void start([...state.files, ...more])}
          onWithout={() => void send(state.source)}
          onBack={back}
        />
      </div>
    );
  }
  if (state.kind === "settings") {
    return (
      <div className="waiting-box wide">
        <h2>{state.source.name}</h2>
        <p className="soft">This kind of file does not say its unit. Choose it so that the size below is right.</p>
        <MeshPreview source={state.source} settings={settings} />
        <ReadSettings value={settings} onChange={setSettings} show={["unit", "up"]} />
        <div className="row">
          <Button onClick={back}>Another file</Button>
          <Button type="primary" onClick={() => void send(state.source)}>
            Bring it in
          </Button>
        </div>
      </div>
    );
  }
  return (
    <DropFiles label="Bring in an assembly" title={name} onFiles={(files) => void start(files)}>
      <ReadSettings value={settings} onChange={setSettings} show={["quality"]} />
      {state.problem && (
        <p className="problem" role="alert">
          {state.problem}
        </p>
      )}
    </DropFiles>
  );
}

"use client";
import { Button, Modal } from "antd";
import { useState } from "react";
import { useDesk, useDeskState } from "../desk/context";
import { DropFiles } from "../source/DropFiles";
import { JobProgress } from "../source/JobProgress";
import { MeshPreview } from "../source/MeshPreview";
import { MissingFiles } from "../source/MissingFiles";
import { ReadSettings } from "../source/ReadSettings";
import { useBringIn } from "../source/useBringIn";
import { Report } from "./Report";

/**
 * Brings in a revision of the CAD file: read it, look at the report, put matches right, then apply. Nothing changes
 * before.
 */
export function RevisionDialog({ beside = false }: { beside?: boolean }) {
  const desk = useDesk();
  const projectId = useDeskState((s) => s.projectId);
  const present = useDeskState((s) => s.assembly.settings);
  const [job, setJob] = useState<{ id: string; fileName: string } | null>(null);
  const { state, settings, setSettings, start, send, cancel, back } = useBringIn(
    projectId,
    "revision",
    (id, fileName) => setJob({ id, fileName }),
    present,
    beside,
  );
  const missing = desk.pkg.assembly.missing ?? [];
  const close = () => {
    cancel();
    desk.set({ dialog: null });
  };
  if (job) return <Report job={job.id} fileName={job.fileName} onClose={close} />;
  return (
    <Modal
      open
      title={beside ? "Add files that were missing" : "Bring in a revision"}
      width={560}
      footer={null}
      onCancel={close}
      mask={{ closable: false }}
    >
      {state.kind === "busy" && (
        <JobProgress file={state.file} stage={state.stage} share={state.share} onCancel={cancel} />
      )}
      {state.kind === "settings" && (
        <>
          <MeshPreview source={state.source} settings={settings} />
          <ReadSettings value={settings} onChange={setSettings} show={["unit", "up"]} />
          <div className="row">
            <Button onClick={back}>Another file</Button>
            <Button type="primary" onClick={() => void send(state.source)}>
              Read it
            </Button>
          </div>
        </>
      )}
      {state.kind === "missing" && (
        <MissingFiles
          source={state.source}
          problem={state.problem}
          onAdd={(more) => void start([...state.files, ...more])}
          onWithout={() => void send(state.source)}
          onBack={back}
        />
      )}
      {state.kind === "idle" && beside && (
        <>
          <p>These files were not given, so their parts are missing:</p>
          <ul className="missing-files number" aria-label="Missing files">
            {missing.map((name) => (
              <li key={name}>{name}</li>
            ))}
          </ul>
        </>
      )}
      {state.kind === "idle" && (
        <DropFiles
          label={beside ? "Add files" : "Bring in a revision"}
          title={beside ? "The missing files" : "The changed file"}
          small
          onFiles={(files) => void start(files)}
        >
          <p className="soft">
            It is compared with the present one first. Nothing changes before you have seen the report.
          </p>
          {state.problem && (
            <p className="problem" role="alert">
              {state.problem}
            </p>
          )}
        </DropFiles>
      )}
    </Modal>
  );
}

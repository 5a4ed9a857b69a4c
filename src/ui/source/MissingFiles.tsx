"use client";
import { Button } from "antd";
import type { SourceUpload } from "../../desk/background/sourceWorker";
import { DropFiles } from "./DropFiles";

/** An assembly of which some files were not given: what is missing, a place for it, and the way on without. */
export function MissingFiles({
  source,
  problem,
  onAdd,
  onWithout,
  onBack,
}: {
  source: SourceUpload;
  problem: string | null;
  onAdd: (files: File[]) => void;
  onWithout: () => void;
  onBack: () => void;
}) {
  return (
    <>
      <p>
        {source.name.replace(/\.zip$/, "")} names{" "}
        {source.missing.length === 1 ? "a file that is" : `${source.missing.length} files that are`} not here yet:
      </p>
      <ul className="missing-files number" aria-label="Missing files">
        {source.missing.map((name) => (
          <li key={name}>{name}</li>
        ))}
      </ul>
      <DropFiles
        label="Add the missing files"
        title="Add the missing files"
        hint="Drop them here, or the folder they lie in."
        small
        onFiles={onAdd}
      >
        {problem && (
          <p className="problem" role="alert">
            {problem}
          </p>
        )}
      </DropFiles>
      <div className="row">
        <Button onClick={onBack}>Another file</Button>
        <Button onClick={onWithout}>Bring it in without them</Button>
      </div>
      <p className="soft">Without them their parts are missing; they can be added later under "Assembly".</p>
    </>
  );
}

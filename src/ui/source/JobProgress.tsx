"use client";
import { Button, Progress } from "antd";
import { STAGES, type StageName } from "../../desk/background/followJob";

const TEXT: Record<StageName, string> = { upload: "Upload", read: "Read", mesh: "Mesh", store: "Store" };

/** How far a file has come, stage by stage, with cancel. */
export function JobProgress({
  file,
  stage,
  share,
  onCancel,
}: {
  file: string;
  stage: StageName;
  share: number | null;
  onCancel: () => void;
}) {
  const at = STAGES.indexOf(stage);
  return (
    <div aria-live="polite">
      <p>Bringing in {file}</p>
      <ol className="stages">
        {STAGES.map((s, i) => (
          <li key={s} className={i < at ? "done" : i === at ? "now" : ""}>
            <span>{TEXT[s]}</span>
            <Progress
              size="small"
              percent={i < at ? 100 : i === at ? Math.round((share ?? 1) * 100) : 0}
              status={i === at && share === null ? "active" : "normal"}
              showInfo={i === at && share !== null}
            />
          </li>
        ))}
      </ol>
      <p className="soft">
        {stage === "read" ? "Large assemblies take a minute or two. You can leave this page; the work goes on." : " "}
      </p>
      <Button onClick={onCancel}>Cancel</Button>
    </div>
  );
}

"use client";
import { Alert, Button, Popconfirm } from "antd";
import { Copy, Trash2 } from "lucide-react";
import { useRef, useState } from "react";
import { embedSnippet } from "../../core/outputs/embed";
import { formatSecondsShort } from "../../core/time/time";
import { copyOutput, dropOutput, nameOutput, type Planned } from "../../desk/acts/outputs";
import { madeOf } from "../../desk/background/publishing";
import type { Making } from "../../desk/state";
import { TextField } from "../common/TextField";
import { useDesk } from "../desk/context";
import { OutputFields } from "./OutputFields";
import { RangeField } from "./RangeField";
import { sizeText } from "./sizeText";
import { useEncoder } from "./useEncoder";

/** The settings of an output, what it would come to, and what was made of it. */
export function OutputSettings({
  it,
  making,
  onMake,
  onChoose,
}: {
  it: Planned;
  making: Making | undefined;
  onMake(quick: boolean): void;
  onChoose(id: string): void;
}) {
  const desk = useDesk();
  const { output, kind, settings, context, replaced } = it;
  const remarks = context ? kind.remarks(settings, context) : [];
  const plan = context && kind.plan(settings, context);
  const encoder = useEncoder(it);
  const wrong = !context || encoder !== null || remarks.some((r) => r.tone === "wrong");
  const busy = making?.state === "busy" || making?.state === "waiting";
  return (
    <div className="output-settings">
      <div className="row">
        <TextField label="Name of the output" value={output.name} take={(v) => nameOutput(desk, output, v)} />
        <Button
          size="small"
          type="text"
          aria-label="Another of the same"
          title="Another of the same"
          icon={<Copy size={14} />}
          onClick={() => onChoose(copyOutput(desk, output))}
        />
        <Popconfirm title={`Remove "${output.name}"?`} okText="Remove" onConfirm={() => dropOutput(desk, output)}>
          <Button size="small" type="text" aria-label="Remove the output" title="Remove" icon={<Trash2 size={14} />} />
        </Popconfirm>
      </div>
      <div className="row">
        <Button type="primary" disabled={wrong || busy} onClick={() => onMake(false)}>
          {making?.state === "done" ? "Make again" : `Make ${kind.title.toLowerCase()}`}
        </Button>
        {kind.id === "video" && (
          <Button disabled={wrong || busy} title="A quarter of the size, in plain light" onClick={() => onMake(true)}>
            Quick look
          </Button>
        )}
        <span className="number soft" data-testid="output-plan">
          {plan ? planText(plan) : "nothing"}
        </span>
      </div>
      <MadeOf making={making} current={making?.state === "done" && making.of === madeOf(desk, output)} />
      {kind.id === "page" && making?.state === "done" && (
        <Embed snippet={embedSnippet(making.name, desk.sequence.name, desk.sequence.picture)} />
      )}
      {replaced.length > 0 && (
        <Alert
          type="info"
          showIcon
          title={`Not as they should be, and taken as in a new one: ${replaced.join(", ")}.`}
        />
      )}
      {encoder && <Alert type="error" showIcon title={encoder} />}
      {remarks.map((r) => (
        <Alert key={r.text} type={r.tone === "wrong" ? "error" : "info"} showIcon title={r.text} />
      ))}
      <div className="form">
        <RangeField output={output} />
        <OutputFields it={it} />
      </div>
    </div>
  );
}

function planText(plan: { width: number; frames: number; seconds: number; bytes: number }): string {
  const parts: string[] = [];
  if (plan.frames > 1) parts.push(`${plan.frames.toLocaleString("en")} frames`);
  if (plan.seconds > 0) parts.push(`${formatSecondsShort(plan.seconds * 705_600_000)} s`);
  parts.push(`about ${sizeText(plan.bytes)}`);
  return parts.join(", ");
}

/** What puts a page into a website. */
function Embed({ snippet }: { snippet: string }) {
  const [copied, setCopied] = useState(false);
  const field = useRef<HTMLTextAreaElement>(null);
  return (
    <details className="embed">
      <summary>Into a website</summary>
      <p className="soft">Put the file beside the website's page, and this where it shall stand:</p>
      <textarea
        ref={field}
        readOnly
        rows={4}
        aria-label="What goes into the website"
        value={snippet}
        onFocus={(e) => e.target.select()}
      />
      <Button
        size="small"
        icon={<Copy size={13} />}
        onClick={() =>
          navigator.clipboard.writeText(snippet).then(
            () => setCopied(true),
            // Where the browser does not let it: it is marked, to be copied by hand.
            () => field.current?.select(),
          )
        }
      >
        {copied ? "Copied" : "Copy"}
      </Button>
    </details>
  );
}

/** How far it is, or what was made. */
function MadeOf({ making, current }: { making: Making | undefined; current: boolean }) {
  if (!making) return null;
  if (making.state === "failed") return <Alert type="error" showIcon title={making.message} />;
  if (making.state === "waiting") return <p className="soft">Waits for the one before it.</p>;
  if (making.state === "busy")
    return (
      <p className="number soft" aria-live="polite" data-testid="publish-progress">
        {making.what}
        {making.left === null ? "" : ` · about ${Math.max(1, Math.round(making.left))} s left`}
      </p>
    );
  return (
    <div className="made" data-testid="publish-result">
      <p className="number soft">
        {making.quick ? "quick look · " : ""}
        {[sizeText(making.size), ...making.checked].join(" · ")}
      </p>
      {!current && <p className="soft">The sequence or the settings have changed since it was made.</p>}
      <Button size="small" href={making.url} download={making.name}>
        Download
      </Button>
    </div>
  );
}

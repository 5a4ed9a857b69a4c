"use client";
import { Button, InputNumber, Mentions } from "antd";
import { Pencil, X } from "lucide-react";
import { type ComponentRef, useEffect, useRef } from "react";
import { COMMENT_MAX } from "../../core/review/said";
import { formatSecondsShort, TICKS_PER_SECOND } from "../../core/time/time";
import type { Draft, Mode } from "./draft";

/** Says something about a moment: in words, with a pin on a part, with lines on the picture. */
export function Composer({
  draft,
  at,
  mode,
  onMode,
  names,
  onDraft,
  onSend,
  onCancel,
}: {
  draft: Draft;
  /** Ticks in the film. */
  at: number;
  mode: Mode;
  onMode: (mode: Mode) => void;
  /** Whom one can speak to. */
  names: readonly string[];
  onDraft: (draft: Draft) => void;
  onSend: () => void;
  onCancel: () => void;
}) {
  const text = useRef<ComponentRef<typeof Mentions>>(null);
  useEffect(() => text.current?.focus(), []);
  const toggle = (m: Mode) => onMode(mode === m ? "look" : m);
  return (
    <div className="composer">
      <div className="soft">
        At <span className="number">{formatSecondsShort(at)} s</span>, lasting{" "}
        <InputNumber
          size="small"
          className="composer-lasts"
          min={0}
          max={600}
          step={0.5}
          aria-label="Lasting, seconds"
          value={draft.lasts / TICKS_PER_SECOND}
          onChange={(s) => onDraft({ ...draft, lasts: Math.round((s ?? 0) * TICKS_PER_SECOND) })}
        />{" "}
        s
      </div>
      <Mentions
        ref={text}
        aria-label="Comment"
        placeholder="What should be different here?"
        autoSize={{ minRows: 2, maxRows: 8 }}
        maxLength={COMMENT_MAX}
        value={draft.text}
        options={names.map((n) => ({ value: n, label: n }))}
        onChange={(text) => onDraft({ ...draft, text })}
        onKeyDown={(e) => {
          if (e.key === "Enter" && (e.ctrlKey || e.metaKey)) onSend();
          if (e.key === "Escape") onCancel();
        }}
      />
      <div className="row wrap">
        <Button
          size="small"
          icon={<Pencil size={14} />}
          type={mode === "draw" ? "primary" : "default"}
          aria-pressed={mode === "draw"}
          onClick={() => toggle("draw")}
        >
          Draw
        </Button>
        {draft.strokes.length > 0 && (
          <Button size="small" type="text" onClick={() => onDraft({ ...draft, strokes: draft.strokes.slice(0, -1) })}>
            One line back
          </Button>
        )}
        {(draft.pin || draft.strokes.length > 0) && (
          <Button
            size="small"
            type="text"
            icon={<X size={14} />}
            onClick={() => onDraft({ ...draft, pin: null, strokes: [] })}
          >
            Clear
          </Button>
        )}
      </div>
      <p className="soft">
        {mode === "draw"
          ? "Draw on the picture; Escape ends it."
          : draft.pin
            ? "The pin moves with its part. Click elsewhere to move it."
            : "Click on a part in the picture to pin it there; drag to see it from elsewhere."}
      </p>
      <div className="row">
        <Button size="small" type="primary" disabled={!draft.text.trim()} onClick={onSend}>
          Send (Ctrl+Enter)
        </Button>
        <Button size="small" onClick={onCancel}>
          Cancel
        </Button>
      </div>
    </div>
  );
}

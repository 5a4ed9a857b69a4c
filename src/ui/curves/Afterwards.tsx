"use client";
import { Button, Select } from "antd";
import type { Beyond } from "../../core/document/sequence";
import { Field } from "../common/Field";

const WAYS: readonly { value: Beyond; label: string }[] = [
  { value: "hold", label: "stays" },
  { value: "straight", label: "keeps its speed" },
  { value: "repeat", label: "does it again" },
  { value: "add", label: "does it again from there" },
  { value: "swing", label: "comes back the same way" },
];

/**
 * How something goes on after its last arrival, and what it did before its first, as two sentences. `open` says where
 * a cycle does not end as it began; `onClose` closes it.
 */
export function Afterwards({
  before,
  after,
  onChoose,
  open = null,
  onClose,
  often,
  ways = WAYS.map((w) => w.value),
}: {
  /** Nothing where it has no before of its own. */
  before?: Beyond | null;
  after: Beyond | null;
  onChoose: (side: "before" | "after", kind: Beyond) => void;
  open?: string | null;
  onClose?: () => void;
  /** How often what is done again is done, where that can be said. */
  often?: { text: string; take: (text: string) => { error: string } | null } | undefined;
  /** Which ways there are. */
  ways?: readonly Beyond[];
}) {
  const sentence = (words: string, side: "before" | "after", value: Beyond | null) => (
    <div className="row sentence">
      <span>{words}</span>
      <Select
        size="small"
        className="grow"
        aria-label={words}
        value={value}
        placeholder="differs"
        options={WAYS.filter((w) => side === "before" || ways.includes(w.value))}
        onChange={(kind) => onChoose(side, kind)}
      />
      {side === "after" && often && <Field ariaLabel="How often" value={often.text} parse={often.take} />}
    </div>
  );
  return (
    <>
      {sentence("Afterwards it", "after", after)}
      {open && (
        <p className="problem" role="status">
          {open}{" "}
          {onClose && (
            <Button size="small" onClick={onClose}>
              Close it
            </Button>
          )}
        </p>
      )}
      {before !== undefined && sentence("Before that it", "before", before)}
    </>
  );
}

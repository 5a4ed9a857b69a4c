"use client";
import { BEYOND, type Beyond } from "../../core/document/sequence";

const WORDS: Record<Beyond, string> = {
  hold: "Hold",
  straight: "Carry on straight",
  repeat: "Repeat",
  add: "Repeat and add up",
  swing: "Back and forth",
};

/** Where each goes, as points of a small picture 44 px wide; the keyed part is the middle third. */
const LINES: Record<Beyond, { after: string; before: string }> = {
  hold: { after: "26,5 42,5", before: "2,15 18,15" },
  straight: { after: "26,5 34,1", before: "10,19 18,15" },
  repeat: { after: "26,5 26,15 34,5 34,15 42,5", before: "2,15 10,5 10,15 18,5 18,15" },
  add: { after: "26,5 34,3 34,3 42,1", before: "2,19 10,17 10,17 18,15" },
  swing: { after: "26,5 34,15 42,5", before: "2,15 10,5 18,15" },
};

/** Ways of going on, chosen by small pictures of the motion. */
export function BeyondPictures({
  side,
  value,
  onChoose,
}: {
  side: "before" | "after";
  value: Beyond | null;
  onChoose: (kind: Beyond) => void;
}) {
  return (
    <fieldset className="beyond" aria-label={side === "before" ? "Before the first arrival" : "After the last arrival"}>
      {BEYOND.map((kind) => (
        <button
          key={kind}
          type="button"
          title={WORDS[kind]}
          aria-label={`${side === "before" ? "Before" : "After"}: ${WORDS[kind].toLowerCase()}`}
          aria-pressed={value === kind}
          onClick={() => onChoose(kind)}
        >
          <svg className="beyond-picture" viewBox="0 0 44 20" aria-hidden="true">
            <polyline className="beyond-own" points="18,15 26,5" />
            <polyline points={LINES[kind][side]} />
            <circle cx="18" cy="15" r="1.6" />
            <circle cx="26" cy="5" r="1.6" />
          </svg>
        </button>
      ))}
    </fieldset>
  );
}

"use client";
import { Button, Input } from "antd";
import { CircleAlert, Eye } from "lucide-react";
import { type RefObject, useEffect, useRef, useState } from "react";
import { REASON_MAX } from "../../core/document/sequence";
import { checkOf } from "../../core/proof/checks";
import { formatSecondsShort } from "../../core/time/time";
import { accept, choose, type Listed, mend, preview, sentence, setProofing, takeBack } from "../../desk/acts/proofing";
import { useDesk, useDeskState } from "../desk/context";

/** One finding; chosen it says why it matters and what can be done. */
export function FindingRow({
  id,
  it,
  chosen,
  list,
}: {
  id: string;
  it: Listed;
  chosen: boolean;
  list: RefObject<HTMLDivElement | null>;
}) {
  const desk = useDesk();
  const { finding, meant } = it;
  const check = checkOf(finding.check);
  const planning = useDeskState((s) => s.proofing.planning === it.id);
  const element = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (chosen) element.current?.scrollIntoView({ block: "nearest" });
  }, [chosen]);
  const wrong = finding.severity === "wrong";
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the keys are those of the list it is in
    <div
      id={id}
      ref={element}
      role="option"
      tabIndex={-1}
      aria-selected={chosen}
      className={`finding ${chosen ? "chosen" : ""}`}
      onClick={() => !chosen && choose(desk, it.id)}
    >
      <div className="finding-line">
        {wrong ? (
          <CircleAlert size={14} className="finding-wrong" aria-label="Wrong" />
        ) : (
          <Eye size={14} className="finding-look" aria-label="Look at it" />
        )}
        <span className="finding-text">{sentence(desk, finding)}</span>
        <span className="number soft">{formatSecondsShort(finding.at ?? finding.from)} s</span>
      </div>
      {chosen && (
        <div className="finding-more">
          <p className="soft">{check?.why}</p>
          {meant ? (
            <>
              <p>
                Meant so: {meant.reason}{" "}
                <span className="soft">
                  ({meant.by}, {meant.at.slice(0, 10)})
                </span>
              </p>
              <Button size="small" onClick={() => takeBack(desk, meant)}>
                Not meant so
              </Button>
            </>
          ) : (
            <>
              <div className="finding-mends">
                {finding.mends.map((name, i) => (
                  <Button
                    key={name}
                    size="small"
                    type={i === 0 ? "primary" : "default"}
                    data-mend={name}
                    loading={planning && !check?.mends[name]?.command}
                    title={
                      check?.mends[name]?.command
                        ? `Key ${i + 1}; shown on the stage while the pointer is on it`
                        : `Key ${i + 1}; Escape stops the planning`
                    }
                    onMouseEnter={() => preview(desk, { finding, mend: name })}
                    onMouseLeave={() => preview(desk, null)}
                    onFocus={() => preview(desk, { finding, mend: name })}
                    onBlur={() => preview(desk, null)}
                    onClick={() => {
                      void mend(desk, finding, name);
                      list.current?.focus({ preventScroll: true });
                    }}
                  >
                    {check?.mends[name]?.title}
                  </Button>
                ))}
                <Button size="small" type="text" onClick={() => setProofing(desk, { open: false })}>
                  Details
                </Button>
              </div>
              <Reason
                onTake={(reason) => {
                  const taken = accept(desk, finding, reason);
                  if (taken) list.current?.focus({ preventScroll: true });
                  return taken;
                }}
                onLeave={() => list.current?.focus({ preventScroll: true })}
              />
            </>
          )}
        </div>
      )}
    </div>
  );
}

/** Why it is meant so: typed, and taken with Enter. */
function Reason({ onTake, onLeave }: { onTake: (reason: string) => boolean; onLeave: () => void }) {
  const [text, setText] = useState("");
  const take = () => {
    if (onTake(text)) setText("");
  };
  return (
    <div className="finding-reason">
      <Input
        size="small"
        aria-label="Meant so, because"
        placeholder="Because (M) …"
        maxLength={REASON_MAX}
        value={text}
        onChange={(e) => setText(e.target.value)}
        onPressEnter={take}
        onKeyDown={(e) => {
          if (e.key !== "Escape") return;
          e.stopPropagation();
          setText("");
          onLeave();
        }}
      />
      <Button size="small" disabled={!text.trim()} onClick={take}>
        Meant so
      </Button>
    </div>
  );
}

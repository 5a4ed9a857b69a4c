"use client";
import { Button, Progress, Segmented, Select, Tooltip } from "antd";
import { SlidersHorizontal, X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { CHECKS, checkOf } from "../../core/proof/checks";
import { unjudgedText } from "../../core/text/findings";
import { chooseBeside, listed, setProofing, shownFindings, stopPlanning, toggleProof } from "../../desk/acts/proofing";
import { targetName } from "../../desk/names";
import type { Proofing } from "../../desk/state";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { FindingRow } from "./FindingRow";
import { Thresholds } from "./Thresholds";

/** What the proof found: step by step, worst first; the arrow keys go through it. */
export function ProofPanel() {
  const desk = useDesk();
  const sequence = useSequence();
  const proof = useDeskState((s) => s.proof);
  const { chosen, check, show, asked } = useDeskState((s) => s.proofing);
  const [setting, setSetting] = useState(false);
  const list = useRef<HTMLDivElement>(null);
  // Opened with the keyboard, the keyboard is in it.
  useEffect(() => {
    if (asked > 0) list.current?.focus({ preventScroll: true });
  }, [asked]);
  const all = listed(desk);
  const shown = shownFindings(desk);
  const open = all.filter((l) => !l.meant);
  const count = (of: Proofing["show"]) =>
    of === "meant"
      ? all.length - open.length
      : of === "open"
        ? open.length
        : open.filter((l) => l.finding.severity === of).length;
  const steps = [...new Set(shown.map((l) => l.finding.step))];
  return (
    <>
      <div className="panel-head">
        <h2>Proof</h2>
        <div className="grow" />
        <Tooltip title="What is looked for, and from when on">
          <Button
            size="small"
            type="text"
            aria-label="What is looked for"
            aria-pressed={setting}
            icon={<SlidersHorizontal size={14} />}
            onClick={() => setSetting(!setting)}
          />
        </Tooltip>
        <Button
          size="small"
          type="text"
          aria-label="Close the proof"
          icon={<X size={15} />}
          onClick={() => toggleProof(desk)}
        />
      </div>
      {setting ? (
        <Thresholds />
      ) : (
        <>
          <div className="proof-filter">
            <Segmented
              size="small"
              aria-label="Which findings"
              value={show}
              onChange={(value: Proofing["show"]) => setProofing(desk, { show: value })}
              options={[
                { value: "open", label: `Open ${count("open")}` },
                { value: "wrong", label: `Wrong ${count("wrong")}` },
                { value: "look", label: `Look ${count("look")}` },
                { value: "meant", label: `Meant ${count("meant")}` },
              ]}
            />
            <Select
              size="small"
              aria-label="Which check"
              value={check ?? ""}
              onChange={(value) => setProofing(desk, { check: value || null })}
              options={[
                { value: "", label: "All checks" },
                ...CHECKS.filter((c) => all.some((l) => l.finding.check === c.id) || c.id === check).map((c) => ({
                  value: c.id,
                  label: c.title,
                })),
              ]}
            />
          </div>
          <Looks />
          <div
            className="proof-list"
            ref={list}
            role="listbox"
            tabIndex={0}
            aria-label="Findings"
            aria-activedescendant={chosen === null ? undefined : `finding-${shown.findIndex((l) => l.id === chosen)}`}
            onKeyDown={(e) => {
              if (e.target instanceof HTMLInputElement || e.ctrlKey || e.altKey) return;
              if (e.key === "ArrowDown") chooseBeside(desk, 1);
              else if (e.key === "ArrowUp") chooseBeside(desk, -1);
              else if (e.key === "Escape") {
                if (!stopPlanning(desk)) toggleProof(desk);
              } else if (e.key === "m" || e.key === "M")
                list.current?.querySelector<HTMLInputElement>(".finding-reason input")?.focus();
              else if (/^[1-9]$/.test(e.key))
                list.current?.querySelectorAll<HTMLButtonElement>("[data-mend]")[Number(e.key) - 1]?.click();
              else return;
              e.preventDefault();
              e.stopPropagation();
            }}
          >
            {proof && shown.length === 0 && <Nothing show={show} open={open.length} />}
            {steps.map((step) => (
              <section key={step} aria-label={sequence.steps[step]?.title ?? ""}>
                <h4 className="proof-step">
                  <span className="number">{sequence.stepOrder.indexOf(step) + 1}</span>{" "}
                  {sequence.steps[step]?.title || "Untitled"}
                </h4>
                {shown.map((l, i) =>
                  l.finding.step === step ? (
                    <FindingRow key={l.id} id={`finding-${i}`} it={l} chosen={l.id === chosen} list={list} />
                  ) : null,
                )}
              </section>
            ))}
            <Unjudged />
          </div>
        </>
      )}
    </>
  );

  function Unjudged() {
    if (!proof || proof.unjudged.length === 0 || show !== "open") return null;
    return (
      <section className="proof-unjudged" aria-label="Not judged">
        <h4>Not judged</h4>
        <ul className="plain soft">
          {proof.unjudged.map((u) => (
            <li key={`${u.check} ${u.step} ${u.what}`}>
              {unjudgedText(
                u.what,
                u.targets.map((t) => targetName(desk, t)),
              )}{" "}
              ({checkOf(u.check)?.title})
            </li>
          ))}
        </ul>
      </section>
    );
  }
}

function Nothing({ show, open }: { show: Proofing["show"]; open: number }) {
  if (show === "meant") return <p className="soft pad">Nothing is meant so yet.</p>;
  if (open > 0) return <p className="soft pad">None of these; others are open.</p>;
  return <p className="pad">Nothing found that would embarrass you.</p>;
}

/** How far the proof is, while it looks. */
function Looks() {
  const share = useDeskState((s) => s.proofShare);
  const none = useDeskState((s) => s.proof === null);
  if (share === null && !none) return null;
  return (
    <div className="proof-looks" role="status">
      <span className="soft">{none ? "Looking through the sequence …" : "Looking again …"}</span>
      <Progress percent={Math.round((share ?? 0) * 100)} size="small" showInfo={false} />
    </div>
  );
}

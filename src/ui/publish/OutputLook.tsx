"use client";
import { Button, Spin } from "antd";
import { StepBack, StepForward } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { stepAt } from "../../core/program/layout";
import { sheetSteps } from "../../core/sheets/content";
import type { Planned } from "../../desk/acts/outputs";
import { OutputPreview } from "../../desk/background/publishing";
import type { Making } from "../../desk/state";
import { useDesk, useDeskState } from "../desk/context";
import { HtmlFrame } from "./HtmlFrame";
import { PORT } from "./port";
import { type Shown, ShownSwitch } from "./ShownSwitch";

/** An output that is read rather than watched, just as its reader will have it: a page to be tried, a step's sheet. */
export function OutputLook({ it, making }: { it: Planned; making: Making | undefined }) {
  const desk = useDesk();
  const version = useDeskState((s) => s.programVersion);
  const prepared = useDeskState((s) => s.preparation.body);
  const { context, output, kind } = it;
  const preview = useRef<OutputPreview | null>(null);
  const [html, setHtml] = useState<string | null>(null);
  const [failed, setFailed] = useState<string | null>(null);
  const [step, setStep] = useState<number | null>(null);
  const made = making?.state === "done" ? making : null;
  const address = made?.url ?? null;
  const [showing, show] = useState<Shown>(made ? "made" : "will");
  useEffect(() => show(address === null ? "will" : "made"), [address]);
  const steps = context && kind.id === "sheets" ? sheetSteps(desk.program, context.range, "after") : [];
  // At first the step that the playhead is in.
  const now = stepAt(desk.program.steps, desk.state.ticks);
  const begun = steps.findIndex((s) => s.at === now);
  const at = Math.max(0, Math.min(step ?? begun, steps.length - 1));
  useEffect(() => {
    preview.current = new OutputPreview(desk, PORT);
    return () => preview.current?.dispose();
  }, [desk]);
  const asked = JSON.stringify([output.settings, output.range]);
  const looks = kind.looks === true && context !== null;
  useEffect(() => {
    if (!looks || showing === "made") return;
    // What is being changed is looked at once it rests.
    const soon = setTimeout(() => {
      setFailed(null);
      preview.current?.look(output, at, setHtml, (message) => {
        setHtml(null);
        setFailed(message);
      });
    }, 250);
    return () => clearTimeout(soon);
  }, [asked, at, version, prepared, looks, showing]);
  const [madeHtml, setMadeHtml] = useState<string | null>(null);
  const isHtml = made?.type === "text/html";
  useEffect(() => {
    setMadeHtml(null);
    if (address === null || !isHtml) return;
    let gone = false;
    fetch(address)
      .then((r) => r.text())
      .then(
        (text) => gone || setMadeHtml(text),
        () => gone || setFailed("What was made cannot be shown here. Download it."),
      );
    return () => {
      gone = true;
    };
  }, [address, isHtml]);
  const go = (by: number) => {
    setStep(Math.max(0, Math.min(steps.length - 1, at + by)));
    show("will");
  };
  return (
    <>
      <div className="publish-room">
        {!context && (
          <p className="problem">Nothing of the sequence is left in this output's part. Choose another part.</p>
        )}
        {failed && showing === "will" && <p className="problem">{failed}</p>}
        {!looks && context && <p className="soft">{kind.about}</p>}
        {looks && showing === "will" && failed === null && html === null && <Spin description="Drawing it" />}
        {looks && showing === "will" && failed === null && html !== null && (
          <HtmlFrame key={html} html={html} title={`${kind.title} as it will be`} testId="publish-look" />
        )}
        {looks && showing === "made" && madeHtml !== null && (
          <HtmlFrame key={madeHtml} html={madeHtml} title={`${kind.title} as it was made`} testId="publish-made" />
        )}
        {looks && showing === "made" && made?.type === "application/pdf" && (
          // The browser shows it by what is its own.
          <iframe title={`${kind.title} as they were made`} data-testid="publish-made" src={made.url} />
        )}
      </div>
      {looks && (made || steps.length > 1) && (
        <div className="publish-bar">
          {made && <ShownSwitch value={showing} onChange={show} />}
          {steps.length > 1 && (
            <>
              <Button size="small" aria-label="A step back" icon={<StepBack size={14} />} onClick={() => go(-1)} />
              <Button size="small" aria-label="A step on" icon={<StepForward size={14} />} onClick={() => go(1)} />
              <span className="number soft">
                step {at + 1} of {steps.length}: {steps[at]?.title}
              </span>
            </>
          )}
          <div className="grow" />
          {made?.type === "application/pdf" && (
            <a href={made.url} target="_blank" rel="noreferrer">
              Open in a tab
            </a>
          )}
        </div>
      )}
    </>
  );
}

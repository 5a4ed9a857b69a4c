"use client";
import { App, Button, Segmented, Select } from "antd";
import { Download, ExternalLink, FileText, Link2, Send, X } from "lucide-react";
import { useEffect, useReducer, useState } from "react";
import { changeText, concerns, type Thread, threadsOf, voicesOf } from "../../core/review/reading";
import { type Comment, type Standing, standings } from "../../core/review/said";
import { problemOf } from "../../core/text/problem";
import { formatSecondsShort } from "../../core/time/time";
import { commentToNote, goToComment, toggleReview } from "../../desk/acts/reviewing";
import { download } from "../../desk/api";
import { roundsOf } from "../../desk/background/roundWatch";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { LinksDialog } from "./LinksDialog";
import { SendDialog } from "./SendDialog";
import { TextEntry, voiceOf, Words } from "./StepReview";

/** Stands for the step at the playhead. */
const HERE = "here";
const STANDS: Record<Standing, string> = { fine: "fine", change: "change this", open: "not decided" };

/** What is said about the sequence, step by step, live; and the way to send it. */
export function ReviewPanel() {
  const desk = useDesk();
  const { message } = App.useApp();
  const sequence = useSequence();
  const { round, chosen } = useDeskState((s) => s.reviewing);
  const locked = useDeskState((s) => s.locked);
  const watch = roundsOf(desk);
  const [, heard] = useReducer((n: number) => n + 1, 0);
  useEffect(() => {
    const leave = watch.subscribe(heard);
    return () => {
      leave();
    };
  }, [watch]);
  const [show, setShow] = useState<"open" | "mine" | "all">("open");
  const [only, setOnly] = useState("");
  const here = useDeskState((_s) => (only === HERE ? desk.here() : ""));
  const [sending, setSending] = useState(false);
  const [links, setLinks] = useState(false);
  const own = watch.own();
  const latest = own[0]?.id === round?.id;
  const on = sequence.stepOrder.filter((s) => sequence.steps[s]?.on);
  const threads = round ? threadsOf(round.comments, sequence.stepOrder) : [];
  const wanted = only === HERE ? here : only;
  const shown = threads.filter(
    (t) =>
      (show === "all" || (!t.comment.settled && (show === "open" || (round && concerns(t, round.me))))) &&
      (wanted === "" || t.comment.step === wanted),
  );
  const { steps: stands, whole } = standings(round ? [...new Set([...on])] : [], round?.decisions ?? []);
  const fine = [...stands.values()].filter((s) => s === "fine").length;
  const act = (work: Promise<void> | undefined) => {
    work?.catch((e: unknown) => message.error(problemOf(e), 6));
  };
  const rowsOf = (step: string) => shown.filter((t) => t.comment.step === step);
  const gone = shown.filter((t) => !sequence.steps[t.comment.step]);
  return (
    <>
      <div className="panel-head">
        <h2>Review</h2>
        <div className="grow" />
        {round && (
          <>
            <Button
              size="small"
              type="text"
              aria-label="Links"
              title="Links to this round"
              icon={<Link2 size={14} />}
              disabled={locked !== null}
              onClick={() => setLinks(true)}
            />
            <Button
              size="small"
              type="text"
              aria-label="What this round brought, as one page"
              title="As one page, to print, and as CSV"
              icon={<FileText size={14} />}
              href={`/report?round=${round.id}`}
              target="_blank"
            />
            <Button
              size="small"
              type="text"
              aria-label="Download the project with what was said"
              title="The project file, with its rounds and what was said in them"
              icon={<Download size={14} />}
              onClick={() => act(download(`/api/projects/${desk.state.projectId}/file?rounds=1`))}
            />
            <Button
              size="small"
              type="text"
              aria-label="Open as reviewers see it"
              title="As reviewers see it"
              icon={<ExternalLink size={14} />}
              href={`/review?round=${round.id}`}
              target="_blank"
            />
          </>
        )}
        <Button
          size="small"
          type="text"
          aria-label="Close the review"
          icon={<X size={15} />}
          onClick={() => toggleReview(desk)}
        />
      </div>
      <div className="panel-body pad">
        <Button
          block
          type={own.length === 0 ? "primary" : "default"}
          icon={<Send size={14} />}
          disabled={locked !== null}
          title={locked ?? undefined}
          onClick={() => setSending(true)}
        >
          {own.length === 0 ? "Send for review" : `Send round ${(own[0]?.number ?? 0) + 1}`}
        </Button>
        {own.length === 0 && (
          <p className="soft review-empty">
            Those who get the link see the sequence as it stands now, in 3D, without an account. What they say comes
            here.
          </p>
        )}
        {round && (
          <>
            <div className="row">
              <Select
                size="small"
                className="review-round"
                aria-label="Round"
                value={round.id}
                options={own.map((r) => ({
                  value: r.id,
                  label: `Round ${r.number}${r.note ? `: ${r.note.slice(0, 40)}` : ""}`,
                }))}
                onChange={(id) => watch.follow(id)}
              />
              <Segmented
                size="small"
                aria-label="Which comments"
                value={show}
                options={[
                  { value: "open", label: "open" },
                  { value: "mine", label: "mine" },
                  { value: "all", label: "all" },
                ]}
                onChange={(v) => setShow(v as "open" | "mine" | "all")}
              />
            </div>
            <Select
              size="small"
              className="review-only"
              aria-label="Comments of which step"
              value={only}
              options={[
                { value: "", label: "Every step" },
                { value: HERE, label: "The step at the playhead" },
                ...on.map((s, i) => ({ value: s, label: `${i + 1} ${sequence.steps[s]?.title ?? ""}` })),
              ]}
              onChange={setOnly}
            />
            <p className="soft">
              {whole === "fine" ? "Every step is fine." : `${fine} of ${stands.size} steps are fine.`}{" "}
              {!latest && "This is not the latest round."}
            </p>
            {shown.length === 0 && (
              <p className="soft">
                {threads.length === 0
                  ? "Nothing is said yet."
                  : wanted !== "" || show === "mine"
                    ? "Nothing of that kind is said."
                    : "Every comment is settled."}
              </p>
            )}
            {on.map((step) => {
              const rows = rowsOf(step);
              const stand = stands.get(step) ?? "open";
              if (wanted !== "" && step !== wanted) return null;
              if (rows.length === 0 && stand !== "change") return null;
              return (
                <section key={step} className="review-rows">
                  <h3>
                    {sequence.steps[step]?.title} <span className={`verdict ${stand}`}>{STANDS[stand]}</span>
                  </h3>
                  <p className="soft">{changeText(round.changes?.steps.find((c) => c.step === step))}</p>
                  {rows.map((t) => (
                    <Row key={t.comment.id} thread={t} chosen={chosen === t.comment.id} act={act} />
                  ))}
                </section>
              );
            })}
            {gone.length > 0 && (
              <section className="review-rows">
                <h3>Steps that are gone</h3>
                {gone.map((t) => (
                  <Row key={t.comment.id} thread={t} chosen={chosen === t.comment.id} act={act} />
                ))}
              </section>
            )}
          </>
        )}
      </div>
      {sending && <SendDialog onDone={() => setSending(false)} />}
      {links && round && <LinksDialog round={round.id} onDone={() => setLinks(false)} />}
    </>
  );
}

/** A comment at the desk: to go to, answer, settle, or note. */
function Row({
  thread: { comment, answers },
  chosen,
  act,
}: {
  thread: Thread;
  chosen: boolean;
  act: (work: Promise<void> | undefined) => void;
}) {
  const desk = useDesk();
  const [answering, setAnswering] = useState(false);
  const locked = useDeskState((s) => s.locked);
  const round = useDeskState((s) => s.reviewing.round);
  const touched = useDeskState((s) => s.reviewing.touched.includes(comment.id));
  // The last edit is named only where it, or one before it, changed what this is about.
  const undoLabel = useDeskState((s) => s.undoLabel);
  const by = touched && !comment.settled ? undoLabel : null;
  const { client } = roundsOf(desk);
  const change = (c: string, text: string) => act(client?.change(c, text));
  const back = (c: string) => act(client?.takeBack(c));
  return (
    <article className={`thread ${chosen ? "chosen" : ""} ${comment.settled ? "settled" : ""}`}>
      <Words comment={comment} onChange={change} onTakeBack={back}>
        <button
          type="button"
          className="thread-time number"
          aria-label={`Go to the comment of ${voiceOf(comment)}`}
          title="Go there, with the view its writer had"
          onClick={() => goToComment(desk, comment)}
        >
          {timeOf(desk.program.steps, comment)}
        </button>
      </Words>
      {answers.map((a) => (
        <div key={a.id} className="thread-answer">
          <Words comment={a} onChange={change} onTakeBack={back} />
        </div>
      ))}
      {comment.settled && (
        <p className="soft">
          Settled by {comment.settled.by}
          {comment.settled.edit ? `: ${comment.settled.edit}` : ""}
        </p>
      )}
      {touched && !comment.settled && (
        <p className="touched" role="status">
          What this is about has changed since. Settle it?
        </p>
      )}
      {answering && (
        <TextEntry
          label="Answer"
          action="Answer"
          first=""
          names={round ? voicesOf(round) : []}
          onDone={(text) => {
            setAnswering(false);
            if (text !== null)
              client?.say({
                ...{ to: comment.id, text, step: comment.step, from: comment.from, until: comment.until },
                ...{ pin: null, seen: null, strokes: [] },
              });
          }}
        />
      )}
      <div>
        <Button size="small" type="link" className="thread-act" onClick={() => setAnswering(true)}>
          Answer
        </Button>
        {locked === null && (
          <>
            <Button
              size="small"
              type="link"
              className="thread-act"
              title={by === null ? undefined : `Settled by your last edit: ${by}`}
              onClick={() => act(client?.settle(comment.id, !comment.settled, by))}
            >
              {comment.settled ? "Open again" : "Settle"}
            </Button>
            <Button size="small" type="link" className="thread-act" onClick={() => commentToNote(desk, comment)}>
              To the step's note
            </Button>
          </>
        )}
      </div>
    </article>
  );
}

const timeOf = (steps: { position: Map<string, number>; start: Float64Array }, c: Comment): string => {
  const at = steps.position.get(c.step);
  return `${formatSecondsShort((at === undefined ? 0 : (steps.start[at] ?? 0)) + c.from)} s`;
};

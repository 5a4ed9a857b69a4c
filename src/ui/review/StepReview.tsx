"use client";
import { Button, Mentions } from "antd";
import { Check, MessageSquare, RotateCcw } from "lucide-react";
import { type ReactNode, useEffect, useRef, useState } from "react";
import type { Thread } from "../../core/review/reading";
import type { Comment, Decision, Round, Standing, Verdict } from "../../core/review/said";
import { COMMENT_MAX } from "../../core/review/said";
import { formatSecondsShort } from "../../core/time/time";
import { when } from "../common/when";

const STANDS: Record<Standing, string> = { fine: "fine", change: "change this", open: "" };

/** Who said something; guests are marked, whatever they call themselves. */
export const voiceOf = (c: Pick<Comment, "by">): string => (c.by.guest ? `${c.by.name} (guest)` : c.by.name);

/** A step of a round: what became of it, what was decided and said. */
export function StepReview({
  number,
  here,
  open,
  title,
  change,
  standing,
  decisions,
  threads,
  me,
  names,
  chosen,
  startOf,
  onOpen,
  onChoose,
  onDecide,
  onAnswer,
  onChange,
  onTakeBack,
  children,
}: {
  number: number;
  step: string;
  here: boolean;
  open: boolean;
  title: string;
  change: string;
  standing: Standing;
  decisions: readonly Decision[];
  threads: readonly Thread[];
  me: Round["me"];
  names: readonly string[];
  chosen: string | null;
  startOf: (step: string) => number;
  onOpen: () => void;
  onChoose: (t: Thread) => void;
  onDecide: (verdict: Verdict) => void;
  onAnswer: (t: Thread, text: string) => void;
  onChange: (comment: string, text: string) => void;
  onTakeBack: (comment: string) => void;
  children: ReactNode;
}) {
  const item = useRef<HTMLLIElement>(null);
  useEffect(() => {
    if (open) item.current?.scrollIntoView({ block: "nearest" });
  }, [open]);
  const mine = decisions.filter((d) => d.by.id === me.id).at(-1)?.verdict ?? null;
  const last = [...new Map(decisions.map((d) => [d.by.id, d])).values()];
  const unsettled = threads.filter((t) => !t.comment.settled).length;
  return (
    <li ref={item} className={`review-step ${here ? "here" : ""}`} data-review-step={number}>
      <button
        type="button"
        className="review-step-main"
        aria-expanded={open}
        aria-current={here ? "step" : undefined}
        onClick={onOpen}
      >
        <span className="number">{number}</span>
        <span className="review-step-title">{title}</span>
        {unsettled > 0 && (
          <span className="said-count" title={unsettled === 1 ? "One open comment" : `${unsettled} open comments`}>
            <MessageSquare size={12} aria-hidden /> {unsettled}
          </span>
        )}
        {standing !== "open" && <span className={`verdict ${standing}`}>{STANDS[standing]}</span>}
      </button>
      {change && <div className="review-change">{change}</div>}
      {open && (
        <div className="review-step-body">
          {me.may === "decide" && (
            <div className="row">
              <Button
                size="small"
                type={mine === "fine" ? "primary" : "default"}
                aria-pressed={mine === "fine"}
                icon={<Check size={14} />}
                title="Fine, and on to the next step that nobody has decided"
                onClick={() => onDecide("fine")}
              >
                Fine
              </Button>
              <Button
                size="small"
                danger={mine === "change"}
                type={mine === "change" ? "primary" : "default"}
                aria-pressed={mine === "change"}
                icon={<RotateCcw size={14} />}
                onClick={() => onDecide("change")}
              >
                Change this
              </Button>
            </div>
          )}
          {last.length > 0 && (
            <p className="soft">
              {last
                .map(
                  (d) =>
                    `${voiceOf(d)}: ${d.verdict === "fine" ? "fine" : "change this"}${d.carriedFrom ? ` (round ${d.carriedFrom})` : ""}`,
                )
                .join(" · ")}
            </p>
          )}
          {threads.map((t) => (
            <ThreadView
              key={t.comment.id}
              thread={t}
              at={startOf(t.comment.step) + t.comment.from}
              chosen={chosen === t.comment.id}
              mayAnswer={me.may !== "look"}
              names={names}
              onChoose={() => onChoose(t)}
              onAnswer={(text) => onAnswer(t, text)}
              onChange={onChange}
              onTakeBack={onTakeBack}
            />
          ))}
          {children}
        </div>
      )}
    </li>
  );
}

/** A comment and what was answered. */
function ThreadView({
  thread: { comment, answers },
  at,
  chosen,
  mayAnswer,
  names,
  onChoose,
  onAnswer,
  onChange,
  onTakeBack,
}: {
  thread: Thread;
  names: readonly string[];
  at: number;
  chosen: boolean;
  mayAnswer: boolean;
  onChoose: () => void;
  onAnswer: (text: string) => void;
  onChange: (comment: string, text: string) => void;
  onTakeBack: (comment: string) => void;
}) {
  const [answering, setAnswering] = useState(false);
  return (
    <article className={`thread ${chosen ? "chosen" : ""} ${comment.settled ? "settled" : ""}`}>
      <Words comment={comment} onChange={onChange} onTakeBack={onTakeBack}>
        <button type="button" className="thread-time number" title="Go there, as it was seen" onClick={onChoose}>
          {formatSecondsShort(at)} s
        </button>
      </Words>
      {comment.settled && (
        <p className="soft">
          Settled by {comment.settled.by}
          {comment.settled.edit ? `: ${comment.settled.edit}` : ""}
        </p>
      )}
      {answers.map((a) => (
        <div key={a.id} className="thread-answer">
          <Words comment={a} onChange={onChange} onTakeBack={onTakeBack} />
        </div>
      ))}
      {mayAnswer &&
        (answering ? (
          <TextEntry
            label="Answer"
            action="Answer"
            first=""
            names={names}
            onDone={(text) => {
              setAnswering(false);
              if (text !== null) onAnswer(text);
            }}
          />
        ) : (
          <Button size="small" type="link" className="thread-act" onClick={() => setAnswering(true)}>
            Answer
          </Button>
        ))}
    </article>
  );
}

/** What somebody said, and, for its writer and some minutes, the ways to change it. */
export function Words({
  comment,
  onChange,
  onTakeBack,
  children,
}: {
  comment: Comment;
  onChange: (comment: string, text: string) => void;
  onTakeBack: (comment: string) => void;
  children?: ReactNode;
}) {
  const [editing, setEditing] = useState(false);
  return (
    <>
      <div className="thread-head">
        {children}
        <b>{voiceOf(comment)}</b>
        <span className="soft">
          {when(comment.at)}
          {comment.edited ? ", changed" : ""}
          {comment.carriedFrom ? `, round ${comment.carriedFrom}` : ""}
        </span>
      </div>
      {comment.takenBack ? (
        <p className="soft">Taken back.</p>
      ) : editing ? (
        <TextEntry
          label="Change the comment"
          action="Save"
          first={comment.text}
          onDone={(text) => {
            setEditing(false);
            if (text !== null) onChange(comment.id, text);
          }}
        />
      ) : (
        <p className="thread-text" dir="auto">
          {comment.text}
        </p>
      )}
      {comment.mine && !editing && (
        <>
          <Button size="small" type="link" className="thread-act" onClick={() => setEditing(true)}>
            Change
          </Button>
          <Button size="small" type="link" className="thread-act" onClick={() => onTakeBack(comment.id)}>
            Take back
          </Button>
        </>
      )}
    </>
  );
}

/** A few lines to type; null when it is left. */
export function TextEntry({
  label,
  action,
  first,
  names = [],
  onDone,
}: {
  label: string;
  action: string;
  first: string;
  /** Whom one can speak to. */
  names?: readonly string[];
  onDone: (text: string | null) => void;
}) {
  const [text, setText] = useState(first);
  const done = () => text.trim() && onDone(text);
  return (
    <div className="composer">
      <Mentions
        autoFocus
        aria-label={label}
        autoSize={{ minRows: 1, maxRows: 8 }}
        maxLength={COMMENT_MAX}
        value={text}
        options={names.map((n) => ({ value: n, label: n }))}
        onChange={setText}
        onKeyDown={(e) => {
          if (e.key === "Enter" && (e.ctrlKey || e.metaKey)) done();
          if (e.key === "Escape") onDone(null);
        }}
      />
      <div className="row">
        <Button size="small" type="primary" disabled={!text.trim()} onClick={done}>
          {action}
        </Button>
        <Button size="small" onClick={() => onDone(null)}>
          Cancel
        </Button>
      </div>
    </div>
  );
}

"use client";
import { Alert, Button, Skeleton } from "antd";
import { FileDown, Printer } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { nth } from "../../core/math/packed";
import { changeText, threadsOf } from "../../core/review/reading";
import { roundCsv } from "../../core/review/report";
import { type Round, standings } from "../../core/review/said";
import { problemOf } from "../../core/text/problem";
import { formatSecondsShort, TICKS_PER_SECOND } from "../../core/time/time";
import { plain } from "../../desk/api";
import { commentPicture } from "../../desk/review/commentPicture";
import { loadReview, ReviewStage } from "../../desk/review/reviewStage";
import { Wordmark } from "../common/Wordmark";
import { when } from "../common/when";
import { voiceOf } from "./StepReview";

/** Of the pictures, CSS pixels. */
const SIZE = { width: 480, height: 270 };
const STANDS = { fine: "fine", change: "change this", open: "not decided" } as const;

interface Shown {
  round: Round;
  steps: { id: string; title: string; start: number }[];
}

/** What a round brought, on one page: decisions, changes, comments with their pictures; to print, and as CSV. */
export function ReportPage() {
  const [shown, setShown] = useState<Shown | null>(null);
  const [pictures, setPictures] = useState<ReadonlyMap<string, string>>(new Map());
  const [problem, setProblem] = useState<string | null>(null);
  const picture = useRef<HTMLCanvasElement>(null);
  const notes = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const abort = new AbortController();
    const id = new URLSearchParams(location.search).get("round") ?? "";
    let stage: ReviewStage | null = null;
    const work = async () => {
      const [round, film] = await Promise.all([plain<Round>(`/api/rounds/${id}`), loadReview(id, abort.signal)]);
      if (abort.signal.aborted || !picture.current || !notes.current) return;
      const { ids, start } = film.program.steps;
      const steps = ids.map((s, i) => ({
        id: s,
        title: film.sequence.steps[s]?.title ?? "",
        start: nth(start, i),
      }));
      setShown({ round, steps });
      stage = new ReviewStage(
        id,
        film,
        picture.current,
        notes.current,
        () => {},
        () => {},
      );
      stage.player.resize(SIZE.width, SIZE.height, 2);
      const made = new Map<string, string>();
      for (const { comment } of threadsOf(round.comments, ids)) {
        if (abort.signal.aborted) return;
        // What its writer saw is kept with it; what is missing is drawn.
        if (comment.picture) made.set(comment.id, `/api/rounds/${id}/comments/${comment.id}/picture`);
        else if (ids.includes(comment.step) && !comment.takenBack) made.set(comment.id, commentPicture(stage, comment));
        setPictures(new Map(made));
        await new Promise((r) => setTimeout(r, 0));
      }
      stage.dispose();
      stage = null;
    };
    work().catch((e: unknown) => {
      if (!abort.signal.aborted) setProblem(problemOf(e));
    });
    return () => {
      abort.abort();
      stage?.dispose();
    };
  }, []);
  return (
    <main className="report">
      <header className="report-head">
        <Wordmark />
        <div className="grow" />
        {shown && (
          <div className="row no-print">
            <Button icon={<Printer size={14} />} onClick={() => window.print()}>
              Print
            </Button>
            <Button
              icon={<FileDown size={14} />}
              download={`${shown.round.name}, round ${shown.round.number}.csv`}
              href={`data:text/csv;charset=utf-8,${encodeURIComponent(`\ufeff${roundCsv(shown.round, shown.steps, TICKS_PER_SECOND)}`)}`}
            >
              CSV
            </Button>
          </div>
        )}
      </header>
      {problem && <Alert type="error" role="alert" title={problem} />}
      {!shown && !problem && <Skeleton active />}
      {shown && <Report {...shown} pictures={pictures} />}
      <div className="report-stage" aria-hidden="true">
        <canvas ref={picture} width={SIZE.width} height={SIZE.height} style={SIZE} />
        <canvas ref={notes} />
      </div>
    </main>
  );
}

function Report({ round, steps, pictures }: Shown & { pictures: ReadonlyMap<string, string> }) {
  const ids = steps.map((s) => s.id);
  const { steps: stands, whole } = standings(ids, round.decisions);
  const threads = threadsOf(round.comments, ids);
  const fine = [...stands.values()].filter((s) => s === "fine").length;
  return (
    <>
      <h1>{round.name}</h1>
      <p className="lead">
        Round {round.number}, sent {when(round.at)}.{" "}
        {whole === "fine" ? "Every step is fine." : `${fine} of ${steps.length} steps are fine.`}{" "}
        {threads.length === 0
          ? "Nothing was said."
          : `${threads.length} comment${threads.length === 1 ? "" : "s"}, ${threads.filter((t) => !t.comment.settled).length} open.`}
      </p>
      {round.note && <p className="review-note">{round.note}</p>}
      {steps.map((step, i) => {
        const stand = stands.get(step.id) ?? "open";
        const last = [...new Map(round.decisions.filter((d) => d.step === step.id).map((d) => [d.by.id, d])).values()];
        return (
          <section key={step.id} className="report-step">
            <h2>
              <span className="number">{i + 1}</span> {step.title}{" "}
              <span className={`verdict ${stand}`}>{STANDS[stand]}</span>
            </h2>
            <p className="soft">
              {[
                changeText(round.changes?.steps.find((c) => c.step === step.id)),
                ...last.map((d) => `${voiceOf(d)}: ${STANDS[d.verdict]}, ${when(d.at)}`),
              ]
                .filter(Boolean)
                .join(" · ")}
            </p>
            {threads
              .filter((t) => t.comment.step === step.id)
              .map((t) => (
                <article key={t.comment.id} className="report-comment">
                  {pictures.get(t.comment.id) && (
                    <img
                      src={pictures.get(t.comment.id)}
                      alt={`As seen at ${formatSecondsShort(step.start + t.comment.from)} s`}
                      width={SIZE.width / 2}
                      height={SIZE.height / 2}
                    />
                  )}
                  <div>
                    {[t.comment, ...t.answers].map((c) => (
                      <div key={c.id} className={c.to === null ? "" : "thread-answer"}>
                        <div className="thread-head">
                          <span className="number">
                            {c.to === null
                              ? `${threads.indexOf(t) + 1} · ${formatSecondsShort(step.start + c.from)} s`
                              : ""}
                          </span>
                          <b>{voiceOf(c)}</b> <span className="soft">{when(c.at)}</span>
                        </div>
                        <p className="thread-text" dir="auto">
                          {c.takenBack ? "Taken back." : c.text}
                        </p>
                      </div>
                    ))}
                    {t.comment.settled && (
                      <p className="soft">
                        Settled by {t.comment.settled.by}, {when(t.comment.settled.at)}
                        {t.comment.settled.edit ? `: ${t.comment.settled.edit}` : ""}
                      </p>
                    )}
                  </div>
                </article>
              ))}
          </section>
        );
      })}
    </>
  );
}

"use client";
import { Alert, App, Button, Skeleton } from "antd";
import { useCallback, useEffect, useRef, useState } from "react";
import { changeText, type Thread, threadsOf, voicesOf } from "../../core/review/reading";
import type { Pin } from "../../core/review/said";
import { STROKES_MAX, standings } from "../../core/review/said";
import { problemOf } from "../../core/text/problem";
import { pictureToKeep } from "../../desk/review/commentPicture";
import { Wordmark } from "../common/Wordmark";
import { Composer } from "./Composer";
import type { Draft, Mode } from "./draft";
import { ReviewPicture } from "./ReviewPicture";
import { ReviewTransport } from "./ReviewTransport";
import { StepReview } from "./StepReview";
import { useRound, useStage } from "./useReview";

/** A round as those see it who judge it: it plays, they look round, say something and decide. */
export function ReviewView({
  id,
  draft: kept,
  onMoved,
}: {
  id: string;
  /** What is being written; kept beyond this round. */
  draft: { current: Draft | null };
  onMoved: (round: string) => void;
}) {
  const { message } = App.useApp();
  const { client, round, problem, refused, over, waiting } = useRound(id, onMoved);
  const picture = useRef<HTMLCanvasElement>(null);
  const notes = useRef<HTMLCanvasElement>(null);
  const room = useRef<HTMLDivElement>(null);
  const { holder, shown, state } = useStage(id, picture, notes, room);
  const [draft, setDraft] = useState<Draft | null>(kept.current);
  kept.current = draft;
  const [mode, setMode] = useState<Mode>("look");
  const [chosen, setChosen] = useState<string | null>(null);
  const [opened, setOpened] = useState<string | null>(null);
  const { stage } = holder;
  const steps = stage?.film.program.steps.ids ?? [];

  // The step that is open follows the film when it stands; while it plays nothing shifts.
  useEffect(() => {
    if (!shown.playing && shown.step) setOpened(shown.step);
  }, [shown.playing, shown.step]);

  // What was being written when a new round came goes on there.
  useEffect(() => {
    if (state !== "ready" || !stage) return;
    setDraft((d) => d && (stage.film.program.steps.position.has(d.step) ? d : { ...d, step: stage.step, from: 0 }));
  }, [state, stage]);

  // A later round is about what changed: it begins there.
  const begun = useRef(false);
  useEffect(() => {
    if (begun.current || state !== "ready" || !round || !stage) return;
    begun.current = true;
    if (kept.current) {
      stage.player.seek(stage.startOf(kept.current.step) + kept.current.from);
      return;
    }
    const first = round.changes?.steps.find((s) => s.kind !== "same");
    const at = first ? stage.film.program.steps.ids.indexOf(first.step) : -1;
    if (at > 0) stage.player.goTo(at, false);
  }, [state, round, stage, kept]);

  const begin = useCallback(
    (change: Partial<Draft> = {}) => {
      if (!stage) return;
      stage.player.pause();
      const ticks = Math.round(stage.player.ticks);
      const step = stage.step;
      setOpened(step);
      setDraft((d) => ({
        ...(d ?? {
          ...{ to: null, text: "", step, from: Math.max(0, ticks - stage.startOf(step)), lasts: 0 },
          ...{ pin: null, seen: stage.player.seenFrom(), strokes: [] },
        }),
        ...change,
      }));
    },
    [stage],
  );
  holder.tap = (x, y) => {
    if (!draft || mode !== "look" || !stage) return;
    const hit = stage.player.pinAt(x, y);
    const node = hit && stage.film.program.index.assembly.nodes[hit.node];
    if (!hit || !node) return;
    const pin: Pin = { node: node.key, point: hit.point };
    begin({ pin, seen: stage.player.seenFrom() });
  };

  const go = (t: Thread) => {
    if (!stage) return;
    const { comment } = t;
    setChosen(comment.id);
    setOpened(comment.step);
    stage.player.pause();
    stage.player.seek(stage.startOf(comment.step) + comment.from);
    if (comment.seen) stage.player.lookFrom(comment.seen);
  };
  const act = (work: Promise<void>) => {
    work.catch((e: unknown) => message.error(problemOf(e), 6));
  };
  const send = () => {
    if (!draft?.text.trim()) return;
    const { lasts, ...rest } = draft;
    client.say({ ...rest, until: draft.from + lasts }, stage && pictureToKeep(stage, rest));
    setDraft(null);
    setMode("look");
  };

  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      const at = e.target as HTMLElement | null;
      if (!stage || e.defaultPrevented || e.ctrlKey || e.metaKey || e.altKey) return;
      if (at?.closest("input, textarea, [role=combobox]") || (at?.closest("button") && /^( |Enter)$/.test(e.key)))
        return;
      const { player } = stage;
      const keys: Record<string, () => void> = {
        " ": () => (player.playing ? player.pause() : player.play()),
        ArrowRight: () => player.goTo(player.step + 1, false),
        ArrowLeft: () => player.goTo(player.step - 1, false),
        Home: () => player.goTo(0, false),
        End: () => player.goTo(steps.length - 1, false),
        Escape: () => (mode === "look" ? player.backToCamera() : setMode("look")),
        c: () => begin(),
      };
      const run = keys[e.key];
      if (!run) return;
      e.preventDefault();
      run();
    };
    document.addEventListener("keydown", key);
    return () => document.removeEventListener("keydown", key);
  }, [stage, steps, mode, begin]);

  // Once it is over its picture is gone: who may look again opens it anew.
  const gone = useRef(false);
  gone.current ||= over;
  if (gone.current)
    return (
      <main className="waiting">
        <Wordmark />
        <div className="waiting-box" role="alert">
          <p>{problem}</p>
          <Button href={`/sign-in?to=${encodeURIComponent(`/review?round=${id}`)}`}>Sign in</Button>
        </div>
      </main>
    );
  const threads = round ? threadsOf(round.comments, steps) : [];
  const { steps: stands, whole } = standings(steps, round?.decisions ?? []);
  const may = round?.me.may ?? "look";
  const decided = [...stands.values()].filter((s) => s !== "open").length;
  const shownThread = threads.find((t) => t.comment.id === chosen) ?? null;
  return (
    <main className="review">
      <header className="review-head">
        <Wordmark small />
        <div className="review-title">
          <h1>{round ? round.name : "Review"}</h1>
          {round && (
            <span className="soft">
              Round {round.number} · {round.me.name}
              {round.me.guest ? ", guest" : ""}
            </span>
          )}
        </div>
        <div className="grow" />
        {may === "decide" && steps.length > 0 && (
          <span className={`verdict ${whole}`} role="status">
            {whole === "fine" ? "All steps are fine" : `${decided} of ${steps.length} steps decided`}
          </span>
        )}
      </header>
      <section className="review-stage" aria-label="Picture">
        <ReviewPicture
          holder={holder}
          state={state}
          shown={shown}
          room={room}
          picture={picture}
          notes={notes}
          mode={mode}
          threads={threads}
          chosen={shownThread}
          draft={draft}
          onChoose={go}
          onStroke={(line) => {
            const strokes = draft?.strokes ?? [];
            if (strokes.length >= STROKES_MAX) message.info(`At most ${STROKES_MAX} lines can be drawn on a comment.`);
            else begin({ strokes: [...strokes, line] });
          }}
        />
        <ReviewTransport
          holder={holder}
          shown={shown}
          threads={threads}
          onComment={may === "look" ? null : () => begin()}
        />
      </section>
      <aside className="review-side" aria-label="Steps and comments">
        {problem && <Alert type="warning" role="alert" title={problem} />}
        {refused && (
          <Alert
            type="error"
            role="alert"
            title={`"${refused.comment.text.slice(0, 60)}" was not taken: ${refused.why}`}
            closable={{ onClose: () => client.understood() }}
            action={
              <Button
                size="small"
                onClick={() => {
                  const { id: _, until, ...rest } = refused.comment;
                  const step = steps.includes(rest.step) ? rest.step : shown.step;
                  setDraft({ ...rest, step, lasts: until - rest.from });
                  setOpened(step);
                  client.understood();
                }}
              >
                Put it right
              </Button>
            }
          />
        )}
        {waiting.length > 0 && (
          <Alert
            type="info"
            role="status"
            title={`${waiting.length === 1 ? "One comment is" : `${waiting.length} comments are`} kept in this browser and sent as soon as the server is reached.`}
          />
        )}
        {round?.newer && (
          <Alert
            type="info"
            role="status"
            title={`Round ${round.newer.number} has been sent since.`}
            action={
              <Button size="small" href={`/review?round=${round.newer.id}`}>
                Open it
              </Button>
            }
          />
        )}
        {round?.note && <p className="review-note">{round.note}</p>}
        {round?.changes && (
          <p className="soft">
            Since round {round.changes.since}:{" "}
            {round.changes.steps.every((s) => s.kind === "same") && round.changes.gone.length === 0
              ? "nothing looks, lasts or reads different."
              : "see what is marked."}
            {round.changes.gone.length > 0 &&
              ` ${round.changes.gone.length === 1 ? "One step is" : `${round.changes.gone.length} steps are`} gone.`}
          </p>
        )}
        {!round && !problem && <Skeleton active />}
        {round && stage && (
          <ol className="review-steps">
            {steps.map((step, i) => (
              <StepReview
                key={step}
                number={i + 1}
                step={step}
                here={shown.step === step}
                open={opened === step}
                title={stage.film.sequence.steps[step]?.title ?? ""}
                change={changeText(round.changes?.steps.find((s) => s.step === step))}
                standing={stands.get(step) ?? "open"}
                decisions={round.decisions.filter((d) => d.step === step)}
                threads={threads.filter((t) => t.comment.step === step)}
                me={round.me}
                names={voicesOf(round)}
                chosen={chosen}
                startOf={(s) => stage.startOf(s)}
                onOpen={() => {
                  stage.player.goTo(i, false);
                  setOpened(step);
                }}
                onChoose={go}
                onDecide={(verdict) =>
                  act(
                    client.decide(step, verdict).then(() => {
                      // What is fine is done with: on to the next that nobody has decided.
                      const next = steps.findIndex((s, k) => k > i && stands.get(s) === "open");
                      if (verdict !== "fine" || next < 0) return;
                      stage.player.goTo(next, false);
                      setOpened(steps[next] ?? null);
                    }),
                  )
                }
                onAnswer={(t, text) =>
                  client.say({
                    ...{ to: t.comment.id, text, step, from: t.comment.from, until: t.comment.until },
                    ...{ pin: null, seen: null, strokes: [] },
                  })
                }
                onChange={(c, text) => act(client.change(c, text))}
                onTakeBack={(c) => act(client.takeBack(c))}
              >
                {draft && draft.step === step && (
                  <Composer
                    draft={draft}
                    at={stage.startOf(step) + draft.from}
                    mode={mode}
                    names={voicesOf(round)}
                    onMode={(m) => {
                      stage.player.pause();
                      setMode(m);
                    }}
                    onDraft={setDraft}
                    onSend={send}
                    onCancel={() => {
                      setDraft(null);
                      setMode("look");
                    }}
                  />
                )}
              </StepReview>
            ))}
          </ol>
        )}
      </aside>
    </main>
  );
}

"use client";
import { Alert, Button, Progress } from "antd";
import { useEffect, useRef, useState } from "react";
import type { MadeMove } from "../../core/document/sequence";
import { nth } from "../../core/math/packed";
import { directionInWords } from "../../core/text/directions";
import { formatLength } from "../../core/units/units";
import { changeSettings } from "../../desk/acts/moveActions";
import { clearDistance, findWays, type NamedWay } from "../../desk/background/planner";
import { nameOf } from "../../desk/names";
import type { MoveRef } from "../../desk/selection/refs";
import { pick } from "../../desk/showing/picking";
import { useDesk, useDeskState } from "../desk/context";

/**
 * The ways in which the parts come off, found from their geometry, and how far they must go to be clear of something.
 */
export function Ways({ move, at }: { move: Extract<MadeMove, { kind: "take-off" }>; at: MoveRef | null }) {
  const desk = useDesk();
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  const [ways, setWays] = useState<NamedWay[] | null>(null);
  const [busy, setBusy] = useState(false);
  const [failed, setFailed] = useState<string | null>(null);
  const abort = useRef<AbortController | null>(null);
  const begin = (work: (signal: AbortSignal) => Promise<void>) => {
    abort.current?.abort();
    const controller = new AbortController();
    abort.current = controller;
    setBusy(true);
    setFailed(null);
    work(controller.signal)
      .catch((error: Error) => error.name !== "AbortError" && setFailed(error.message))
      .finally(() => abort.current === controller && setBusy(false));
  };
  /** When the parts stand as they do before they come off. */
  const before = () => {
    const stepId = at?.step ?? desk.state.draft?.step ?? "";
    return (desk.program.steps.action[desk.program.steps.position.get(stepId) ?? 0] ?? 0) + move.start;
  };
  const take = (way: NamedWay) =>
    changeSettings(desk, at, {
      direction: way.direction,
      distance: Math.round((way.travel === null ? way.clear + 10 : Math.max(1, way.travel)) * 10) / 10,
    });
  const find = (take1: boolean) =>
    begin(async (signal) => {
      const found = await findWays(desk, move.targets, before(), signal);
      setWays(found);
      const [best] = found;
      if (take1 && best && best.travel === null) take(best);
    });
  // A move that is being made gets its way found by itself, once.
  useEffect(() => {
    if (!at) find(true);
    return () => abort.current?.abort();
  }, []);
  const until = () =>
    pick(desk, "Until clear of what? Point at a part.", {
      kinds: ["face", "axis", "edge-middle", "circle", "corner"],
      needsDirection: false,
      onDone: (picked) => {
        if (!picked) return;
        begin(async (signal) => {
          const far = await clearDistance(desk, move.targets, move.settings.direction, picked.node, before(), signal);
          if (far === 0) setFailed(`It is clear of ${nameOf(desk, picked.node)} that way already.`);
          else changeSettings(desk, at, { distance: Math.round((far + 5) * 10) / 10 });
        });
      },
    });
  const isNow = (w: NamedWay) => w.direction.every((v, k) => Math.abs(v - nth(move.settings.direction, k)) < 1e-6);
  return (
    <>
      <div className="row">
        <Button size="small" disabled={busy} onClick={() => find(false)}>
          Find free ways
        </Button>
        <Button size="small" disabled={busy} onClick={until}>
          Until clear of …
        </Button>
      </div>
      {busy && (
        <div className="row">
          <Progress percent={100} status="active" showInfo={false} size="small" />
          <Button size="small" type="link" onClick={() => abort.current?.abort()}>
            Stop
          </Button>
        </div>
      )}
      {failed && <Alert type="warning" showIcon title={failed} closable={{ onClose: () => setFailed(null) }} />}
      {ways && !busy && (
        <ul className="plain ways" aria-label="Ways off">
          {ways.slice(0, 4).map((w) => (
            <li key={w.direction.join()}>
              <button type="button" className={`way ${isNow(w) ? "now" : ""}`} onClick={() => take(w)}>
                <span className="number">{directionInWords(w.direction, "assembly", desk.index.assembly.up)}</span>
                <span className={w.travel === null ? "" : "problem"}>
                  {w.travel === null
                    ? `free, clear after ${formatLength(w.clear, unit, 1)}`
                    : `${formatLength(w.travel, unit, 1)} to ${w.blockers.slice(0, 2).join(", ")}`}
                </span>
              </button>
            </li>
          ))}
        </ul>
      )}
      {ways && !busy && ways[0]?.travel !== null && (
        <p className="soft">No straight way is free. Take something else off first, or set the way by hand.</p>
      )}
    </>
  );
}

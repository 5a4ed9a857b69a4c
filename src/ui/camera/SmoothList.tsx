"use client";
import { Button, Tooltip } from "antd";
import { smoothCamera } from "../../core/edit/cameraCommands";
import { problemOf } from "../../core/text/problem";
import { formatSecondsShort } from "../../core/time/time";
import { formatNumber } from "../../core/units/units";
import { useDesk, useDeskState } from "../desk/context";
import { Looking } from "./Looking";

const SHOWN = 6;

/** The moments at which the camera's motion jumps, worst first, and the one act that takes the jerks out of a step. */
export function SmoothList({ live }: { live: string }) {
  const desk = useDesk();
  const places = useDeskState((s) => s.abrupt);
  const ticks = useDeskState((s) => (s.playing ? -1 : s.ticks));
  const here = desk.stepAtPlayhead(ticks < 0 ? undefined : ticks);
  const title = here ? (desk.sequence.steps[here.id]?.title ?? "") : "";
  const smooth = () => {
    if (!here) return;
    try {
      desk.edit(`Smooth the camera in "${title}"`, smoothCamera(desk.program, here.id, live));
    } catch (error) {
      desk.notify("problem", problemOf(error));
    }
  };
  return (
    <>
      {places === null ? (
        <Looking />
      ) : places.length === 0 ? (
        <p className="soft">None: the camera starts, turns and stops softly everywhere.</p>
      ) : (
        <ol className="plain abrupt" aria-label="Abrupt places">
          {places.slice(0, SHOWN).map((p) => (
            <li key={p.ticks}>
              <Tooltip
                title={`${formatNumber(p.before, 0)} °/s before, ${formatNumber(p.after, 0)} °/s after${p.turn > 1 ? `, turned by ${formatNumber(p.turn, 0)}°` : ""}`}
              >
                <Button size="small" type="text" onClick={() => desk.seek(p.ticks)}>
                  <span className="number">{formatSecondsShort(p.ticks)} s</span>
                  <span className="soft">
                    {p.turn > 20 ? "turns sharply" : p.after > p.before ? "starts at once" : "stops at once"}
                  </span>
                  <span className="number">{formatNumber(p.jump, 0)} °/s</span>
                </Button>
              </Tooltip>
            </li>
          ))}
          {places.length > SHOWN && <li className="soft">and {places.length - SHOWN} smaller ones</li>}
        </ol>
      )}
      <Tooltip title="Goes through every view of this step at the same time as before, with continuous direction and speed">
        <Button size="small" disabled={!here} onClick={smooth}>
          Smooth this step
        </Button>
      </Tooltip>
    </>
  );
}

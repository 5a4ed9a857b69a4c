"use client";
import { Button } from "antd";
import type { Target } from "../../core/document/sequence";
import { pendingHere } from "../../desk/acts/pending";
import { pend } from "../../desk/acts/posing";
import { commonValue, thatTell, typeValues } from "../../desk/acts/typing";
import { shown, suffixOf, type ValueKind } from "../../desk/typing/valueFields";
import { Field } from "../common/Field";
import { useDesk, useDeskState } from "../desk/context";

const AXES = ["x", "y", "z"] as const;
/** The channels of the fields behind one, for values typed one after another. */
const behind = (head: string, names: readonly string[], at: number) => names.slice(at + 1).map((n) => [`${head}.${n}`]);
const SIZES = ["size.x", "size.y", "size.z"] as const;

/**
 * How far things stand from home at the playhead: slide, turn, size and opacity, typed. For several at once a value
 * counts for all of them, and "+5", "*2" or "/3" is worked out on each one's own.
 */
export function Departures({
  targets,
  axes,
  free = false,
}: {
  targets: readonly Target[];
  /** The axes that all of them turn about. */
  axes: readonly { id: string; name: string }[];
  /** Whether one thing has a free orientation as well. */
  free?: boolean;
}) {
  const desk = useDesk();
  const playing = useDeskState((s) => s.playing);
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  const nothingPends = useDeskState((s) => Object.keys(s.pending).length === 0);
  useDeskState((s) => s.pending);
  useDeskState((s) => s.programVersion);
  useDeskState((s) => (s.playing ? -1 : s.ticks));
  const [one] = targets;
  const telling = thatTell(desk, targets);
  const row = (
    channels: readonly string[],
    word: string,
    label: string,
    kind: ValueKind,
    rest: readonly (readonly string[])[] = [],
  ) => {
    const value = commonValue(desk, telling, channels);
    const waits = nothingPends
      ? false
      : telling.some((t) => channels.some((c) => c in (pendingHere(desk, t)?.pose.values ?? {})));
    return (
      <Field
        key={channels.join()}
        ariaLabel={`${word} ${label}`}
        label={label}
        suffix={suffixOf(kind, unit)}
        disabled={playing}
        className={waits ? "is-pending" : ""}
        again={value !== null}
        value={value === null ? "differs" : shown(value, kind, unit)}
        parse={(text) => {
          const error = typeValues(desk, targets, [channels, ...rest], text, kind);
          return error === null ? null : { error };
        }}
      />
    );
  };
  return (
    <>
      <h4>Slide</h4>
      <div className="triple">
        {AXES.map((a, i) => row([`slide.${a}`], "Slide", a.toUpperCase(), "length", behind("slide", AXES, i)))}
      </div>
      {axes.length > 0 && (
        <>
          <h4>Turn</h4>
          <div className="triple">
            {axes.map((a, i) =>
              row(
                [`turn.${a.id}`],
                "Turn",
                a.name,
                "angle",
                behind(
                  "turn",
                  axes.map((b) => b.id),
                  i,
                ),
              ),
            )}
          </div>
        </>
      )}
      {free && one && (
        <p className="soft">
          Has a free orientation too.{" "}
          <Button size="small" type="link" onClick={() => pend(desk, one, {}, [0, 0, 0, 1])}>
            Back to none
          </Button>
        </p>
      )}
      <div className="size-head">
        <h4>Size</h4>
        {row(SIZES, "Size", "all", "plain")}
      </div>
      <div className="triple">
        {AXES.map((a, i) => row([`size.${a}`], "Size", a.toUpperCase(), "plain", behind("size", AXES, i)))}
      </div>
      <h4>Opacity</h4>
      <div className="triple">{row(["opacity"], "Opacity", "0–1", "share")}</div>
      <p className="soft">
        Departures from home: 0 is where it belongs, a size of 1.{" "}
        {targets.length > 1 ? "+5 or *2 counts for each." : "12 5 30 fills three fields."}
      </p>
    </>
  );
}

"use client";
import { useDesk, useDeskState } from "../desk/context";
import { mark } from "../moves/moveActions";
import { type Block, LANE, type Lane } from "./lanes";

/** One lane: where a thing moves and how fast, its ready-made moves, and what the picture leaves out of it. */
export function LaneRow({ lane, y, x, width }: { lane: Lane; y: number; x: (t: number) => number; width: number }) {
  const desk = useDesk();
  const h = LANE - 6;
  return (
    <g transform={`translate(0 ${y})`} className={lane.target.type === "camera" ? "lane camera" : "lane"}>
      <line x1="0" x2={width} y1={LANE - 0.5} y2={LANE - 0.5} />
      {lane.blocks.map((b) => (
        <BlockMark key={`${b.step}-${b.move}`} block={b} left={x(b.t0)} width={Math.max(3, x(b.t1) - x(b.t0))} />
      ))}
      {lane.stretches.map((s, i) => {
        const w = x(s.t1) - x(s.t0);
        const top = s.speed.map((v, i) => `${x(s.t0) + (w * i) / (s.speed.length - 1)},${LANE - 1 - 3 - v * (h - 3)}`).join(" ");
        return <polygon key={`${i}-${s.t0}`} points={`${x(s.t0)},${LANE - 1} ${top} ${x(s.t1)},${LANE - 1}`} />;
      })}
      {lane.target.type === "picture" && <LiveNames lane={lane} x={x} />}
      {lane.target.type === (desk.program.live < 0 ? "camera" : "picture") && <OutsideMarks x={x} />}
    </g>
  );
}

/** Which camera is live from each cut on. */
function LiveNames({ lane, x }: { lane: Lane; x: (t: number) => number }) {
  const desk = useDesk();
  const { steps, cameras, camera } = desk.sequence;
  const cuts = [...lane.blocks].sort((a, b) => a.t0 - b.t0);
  const nameAt = (b: Block) => {
    const move = steps[b.step]?.moves[b.move];
    return (move?.kind === "camera-cut" && cameras[move.settings.camera]?.name) || "?";
  };
  return (
    <>
      <text x={x(0) + 5} y={LANE / 2 + 3.5}>
        {cameras[camera]?.name}
      </text>
      {cuts.map((b) => (
        <text key={b.move} x={x(b.t0) + 7} y={LANE / 2 + 3.5}>
          {nameAt(b)}
        </text>
      ))}
    </>
  );
}

/** Where something that acts is not wholly in the picture. */
function OutsideMarks({ x }: { x: (t: number) => number }) {
  const desk = useDesk();
  const framing = useDeskState((s) => s.framing);
  return (
    <>
      {Object.values(framing ?? {}).flatMap((s) =>
        s.outside.map((o) => (
          <rect key={`${s.step}-${o.t0}`} className="lane-outside" x={x(o.t0)} y={1} width={Math.max(2, x(o.t1) - x(o.t0))} height={3}>
            <title>{`${desk.nameOf(o.nodes[0] ?? -1)}${o.nodes.length > 1 ? ` and ${o.nodes.length - 1} more` : ""} outside the picture`}</title>
          </rect>
        )),
      )}
    </>
  );
}

/** A ready-made move on a lane: a click selects it. */
function BlockMark({ block, left, width }: { block: Block; left: number; width: number }) {
  const desk = useDesk();
  const marked = useDeskState((s) => s.marked.some((m) => m.step === block.step && m.move === block.move));
  const name = desk.body().steps[block.step]?.moves[block.move]?.name ?? "";
  return (
    // biome-ignore lint/a11y/useSemanticElements: inside an SVG
    <g
      className={`lane-block ${marked ? "marked" : ""} ${block.clash ? "clash" : ""}`}
      role="button"
      tabIndex={0}
      aria-label={name}
      onPointerDown={(e) => {
        e.stopPropagation();
        mark(desk, { step: block.step, move: block.move }, { more: e.ctrlKey || e.metaKey });
      }}
      onKeyDown={(e) => {
        if (e.key !== "Enter") return;
        e.stopPropagation();
        mark(desk, { step: block.step, move: block.move });
      }}
    >
      <rect x={left + 0.5} y={2.5} width={Math.max(2, width - 1)} height={LANE - 5} rx="2">
        <title>{name}</title>
      </rect>
    </g>
  );
}

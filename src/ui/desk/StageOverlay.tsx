"use client";
import { Button } from "antd";
import type { Stage } from "../../stage/stage";
import { directionText, featureText } from "../common/featureText";
import { useDesk, useDeskState, useSequence } from "./context";

/** What is drawn over the picture and follows it: frame, caption, tags, read-out. */
export function StageOverlay({ stage, drawn }: { stage: Stage; drawn: number }) {
  const desk = useDesk();
  const through = useDeskState((s) => s.through);
  const pending = useDeskState((s) => s.pending);
  const readout = useDeskState((s) => s.readout);
  const ticks = useDeskState((s) => s.ticks);
  const playing = useDeskState((s) => s.playing);
  const sequence = useSequence();
  void drawn;
  const frame = through ? stage.pictureFrame() : null;
  const step = desk.stepAtPlayhead(ticks);
  const caption = step ? sequence.steps[step.id]?.caption : "";
  return (
    <>
      {frame && (
        <div className="picture-frame" style={frame}>
          {caption && <div className="caption">{caption}</div>}
        </div>
      )}
      {Object.entries(pending).map(([id, p]) => {
        const node = desk.isHere(p) ? desk.nodesOf(p.target)[0] : undefined;
        const at = node === undefined ? null : stage.toScreen(stage.middleOf(node));
        return at ? (
          <div key={id} className="tag-pending" style={{ left: at.x, top: at.y }}>
            pending
          </div>
        ) : null;
      })}
      {readout && !playing && (
        <div className="readout number" style={{ left: Math.min(readout.x + 18, stage.width - 300), top: readout.y - 12 }}>
          {readout.text}
        </div>
      )}
    </>
  );
}

/** Says what a pick on the stage is for and what it would take. */
export function PickBar() {
  const desk = useDesk();
  const picking = useDeskState((s) => s.picking);
  const feature = useDeskState((s) => s.feature);
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  if (picking === null) return null;
  return (
    <div className="pick-bar" role="status">
      <div>
        <strong>{picking}</strong>
        <span className="number">
          {feature
            ? `${desk.nameOf(feature.node)}: ${featureText(feature.feature, unit)}${feature.feature.direction ? `  direction ${directionText(feature.feature.direction)}` : ""}`
            : "Point at the model; click takes it."}
        </span>
      </div>
      <Button size="small" onClick={() => desk.endPick()}>
        Stop picking (Escape)
      </Button>
    </div>
  );
}

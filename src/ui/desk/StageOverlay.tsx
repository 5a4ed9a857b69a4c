"use client";
import { Button } from "antd";
import { directionInWords } from "../../core/text/directions";
import { isHere } from "../../desk/acts/pending";
import { nameOf, nodesOf } from "../../desk/names";
import { endPick } from "../../desk/showing/picking";
import { worldDirection } from "../../stage/pointing";
import type { Stage } from "../../stage/stage";
import { featureText } from "../common/featureText";
import { StagePins } from "../review/StagePins";
import { useDesk, useDeskState, useSequence } from "./context";
import { PathArrivals } from "./PathArrivals";

/** How far above the lower edge of the picture a caption is published, as a share of its height. */
const CAPTION_SHARE = 0.045;
/**
 * Height of the tools along the lower edge of the stage; a caption stays above them where the picture reaches down so
 * far.
 */
const TOOLS_PX = 44;

/** What is drawn over the picture and follows it: frame, caption, tags, read-out. */
export function StageOverlay({ stage, drawn }: { stage: Stage; drawn: number }) {
  const desk = useDesk();
  const through = useDeskState((s) => s.through);
  const pending = useDeskState((s) => s.pending);
  const readout = useDeskState((s) => s.readout);
  const ticks = useDeskState((s) => s.ticks);
  const playing = useDeskState((s) => s.playing);
  const aids = useDeskState((s) => s.aids);
  const work = useDeskState((s) => s.work);
  const sequence = useSequence();
  void drawn;
  const frame = through ? stage.cameras.pictureFrame() : null;
  const step = desk.stepAtPlayhead(ticks);
  const caption = step ? sequence.steps[step.id]?.caption : "";
  return (
    <>
      {frame && (
        <div className="picture-frame" style={frame}>
          {aids.thirds && <div className="thirds" />}
          {aids.margins && <div className="margins" />}
          {caption && (
            <div className="caption" style={{ bottom: Math.max(CAPTION_SHARE * frame.height, TOOLS_PX - frame.top) }}>
              {caption}
            </div>
          )}
        </div>
      )}
      <Inset stage={stage} />
      <StagePins stage={stage} />
      {!playing && aids.path && <PathArrivals stage={stage} />}
      {Object.entries(pending).map(([id, p]) => {
        const node = isHere(desk, p) ? nodesOf(desk, p.target)[0] : undefined;
        const at = node === undefined ? null : stage.cameras.toScreen(stage.pointing.middleOf(node));
        return at ? (
          <div key={id} className="tag-pending" style={{ left: at.x, top: at.y }}>
            pending
          </div>
        ) : null;
      })}
      {work && (
        <div className="working-on" role="status">
          {work.text} …
          <Button size="small" type="link" onClick={() => work.stop()}>
            Stop
          </Button>
        </div>
      )}
      {readout && !playing && (
        <div
          className="readout number"
          style={{ left: Math.min(readout.x + 18, stage.width - 300), top: readout.y - 12 }}
        >
          {readout.text}
        </div>
      )}
    </>
  );
}

/** The frame and name of the second view. */
function Inset({ stage }: { stage: Stage }) {
  const desk = useDesk();
  const { second } = useDeskState((s) => s.aids);
  const through = useDeskState((s) => s.through);
  const name =
    second === "other" ? (through ? "Free view" : "Through the camera") : desk.sequence.cameras[second]?.name;
  if (!second || !name) return null;
  return (
    <div className="inset" style={{ ...stage.secondPlace() }}>
      <span>{name}</span>
    </div>
  );
}

/** Says what a pick on the stage is for and what it would take. */
export function PickBar() {
  const desk = useDesk();
  const picking = useDeskState((s) => s.picking);
  const feature = useDeskState((s) => s.feature);
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  if (picking === null) return null;
  // As it stands now, in the assembly's axes, for that is what one sees.
  const direction = (feature && desk.view && worldDirection(desk.view.currentPose, feature)?.toArray()) ?? null;
  return (
    <div className="pick-bar" role="status">
      <div>
        <strong>{picking}</strong>
        <span className="number">
          {feature
            ? `${nameOf(desk, feature.node)}: ${featureText(feature.feature, unit)}${direction ? `, ${directionInWords(direction, "assembly", desk.index.assembly.up)}` : ""}`
            : "Point at the model; click takes it."}
        </span>
      </div>
      {direction && (
        <Button size="small" onClick={() => desk.view?.input.flipPick()}>
          The other way (−)
        </Button>
      )}
      <Button size="small" onClick={() => endPick(desk)}>
        Stop picking (Escape)
      </Button>
    </div>
  );
}

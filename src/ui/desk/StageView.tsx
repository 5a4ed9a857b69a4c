"use client";
import { useEffect, useRef, useState } from "react";
import { cameraMatrix } from "../../core/camera/camera";
import { CAMERA_CHANNELS } from "../../core/document/sequence";
import { request } from "../../desk/api";
import { watchAids } from "../../desk/background/aidsWatch";
import { watchFraming } from "../../desk/background/framingWatch";
import { watchProof } from "../../desk/background/proofWatch";
import { StepPictures } from "../../desk/background/stepPictures";
import type { Desk } from "../../desk/port";
import { showOnConsole } from "../../desk/showing/console";
import { stageEvents } from "../../desk/showing/stageEvents";
import { Stage } from "../../stage/stage";
import { CompareView } from "../compare/CompareView";
import { useDesk, useDeskState } from "./context";
import { PickBar, StageOverlay } from "./StageOverlay";
import { StageTools } from "./StageTools";
import { Triad } from "./Triad";

const LOST =
  "The graphics of this machine were reset. The picture comes back by itself; if it does not, reload the page. Your work is kept.";

/** The stage with what is laid over it: picture frame, caption, tags, read-out, triad, tools. */
export function StageView() {
  const desk = useDesk();
  const canvas = useRef<HTMLCanvasElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const notes = useRef<HTMLCanvasElement>(null);
  const [view, setView] = useState<Stage | null>(null);
  const [failed, setFailed] = useState<string | null>(null);
  const [drawn, setDrawn] = useState(0);

  useEffect(() => {
    if (!canvas.current || !box.current) return;
    let stage: Stage;
    try {
      stage = new Stage(
        canvas.current,
        desk.pkg,
        desk.index,
        desk.trees,
        desk.program,
        stageEvents(
          desk,
          () => setDrawn((n) => n + 1),
          (lost) => setFailed(lost ? LOST : null),
        ),
        desk.state.aids.smooth,
      );
    } catch {
      setFailed(
        "This browser cannot draw in 3D (WebGL 2 is missing or switched off). Switch on hardware acceleration, or open Plextan in another browser.",
      );
      return;
    }
    stage.notes.canvas = notes.current;
    const resize = () => {
      const r = canvas.current?.getBoundingClientRect();
      if (r) stage.resize(r.width, r.height, Math.min(2, window.devicePixelRatio));
    };
    const observer = new ResizeObserver(resize);
    observer.observe(canvas.current);
    resize();
    desk.attach(stage);
    desk.set({ through: true, parallel: false, flying: false });
    showOnConsole(desk);
    setView(stage);
    const pictures = new StepPictures(desk);
    const aids = watchAids(desk, stage);
    const framing = watchFraming(desk);
    const proof = watchProof(desk);
    const picture = setTimeout(() => void thumbnail(desk, stage), 1500);
    return () => {
      clearTimeout(picture);
      pictures.dispose();
      framing();
      proof();
      aids();
      observer.disconnect();
      desk.attach(null);
      stage.dispose();
      setView(null);
    };
  }, [desk]);

  const beside = useDeskState((s) => s.compare?.how === "beside");
  return (
    <div className={`stage ${beside ? "halved" : ""}`} ref={box}>
      <canvas ref={canvas} className="stage-canvas" tabIndex={0} aria-label="Stage" data-testid="stage-canvas" />
      <canvas ref={notes} className="stage-notes" />
      {failed && (
        <div className="stage-failed" role="alert">
          {failed}
        </div>
      )}
      <div className="stage-overlay">{view && <StageOverlay stage={view} drawn={drawn} />}</div>
      {view && <CompareView />}
      <StageTools stage={view} />
      <PickBar />
      {view && <Triad matrix={viewMatrix(view, desk)} drawn={drawn} />}
    </div>
  );
}

function viewMatrix(stage: Stage, desk: Desk): number[] {
  const m = new Array<number>(16).fill(0);
  const values = stage.cameras.isThrough ? stage.currentPose.camera : CAMERA_CHANNELS.map((n) => stage.control.view[n]);
  cameraMatrix(m, values, 0, desk.index.assembly.up);
  return m;
}

/** Keeps a picture for the list of projects. */
async function thumbnail(desk: Desk, stage: Stage): Promise<void> {
  if (desk.state.playing || desk.view !== stage || !desk.state.aids.pictures) return;
  if (desk.state.locked !== null) return;
  try {
    const png = await stage.still(480, 300);
    await request(`/api/projects/${desk.state.projectId}/thumbnail`, { method: "PUT", body: png });
  } catch {
    // A missing picture is not worth a message.
  }
}

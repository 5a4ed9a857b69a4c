"use client";
import { Button, Segmented } from "antd";
import { memo, useEffect, useRef, useState } from "react";
import { otherOf, otherProgram } from "../../desk/acts/compareActions";
import { FollowStage } from "../../desk/showing/followStage";
import { useDesk, useDeskState } from "../desk/context";

/** The other timing over the stage as a ghost, or beside it; both in step with the playhead. */
export const CompareView = memo(function CompareView() {
  const compare = useDeskState((s) => s.compare);
  const version = useDeskState((s) => s.assemblyVersion);
  useDeskState((s) => s.programVersion);
  const desk = useDesk();
  const other = otherOf(desk);
  if (!compare || !other) return null;
  return <Shown key={`${version} ${compare.how}`} how={compare.how} label={other.label} />;
});

function Shown({ how, label }: { how: "ghost" | "beside"; label: string }) {
  const desk = useDesk();
  const canvas = useRef<HTMLCanvasElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const [failed, setFailed] = useState(false);
  useEffect(() => {
    if (!canvas.current || !box.current) return;
    let follow: FollowStage;
    try {
      follow = new FollowStage(desk, canvas.current, box.current, () => otherProgram(desk), false);
    } catch {
      setFailed(true);
      return;
    }
    return () => follow.dispose();
  }, [desk]);
  return (
    <>
      <div ref={box} className={`compare ${how}`}>
        <canvas ref={canvas} aria-label={`Timing "${label}"`} data-testid="compare-canvas" />
        {failed && (
          <p className="problem">
            There is no room for a second picture on this graphics card. Close other pages that draw in 3D.
          </p>
        )}
        {how === "beside" && <span className="compare-name">{label}</span>}
      </div>
      {how === "beside" && <span className="compare-name now">now</span>}
      <div className="compare-bar" role="status">
        <strong>
          {how === "ghost"
            ? `"${label}" as a ghost over the present timing`
            : `The present timing, and "${label}" beside it`}
        </strong>
        <Segmented
          size="small"
          aria-label="Compared how"
          value={how}
          onChange={(v) => {
            const { compare } = desk.state;
            if (compare) desk.set({ compare: { ...compare, how: v as "ghost" | "beside" } });
          }}
          options={[
            { value: "ghost", label: "Ghost" },
            { value: "beside", label: "Beside" },
          ]}
        />
        <Button size="small" onClick={() => desk.set({ compare: null })}>
          End comparing
        </Button>
      </div>
    </>
  );
}

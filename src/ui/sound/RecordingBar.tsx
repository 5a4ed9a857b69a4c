"use client";
import { Button } from "antd";
import { Mic } from "lucide-react";
import { endRecording } from "../../desk/sounds/recorder";
import { useDeskState, useSequence } from "../desk/context";

/** Shown while something is recorded: for which step, how long so far, how loud, and how it ends. */
export function RecordingBar() {
  const recording = useDeskState((s) => s.recording);
  const sequence = useSequence();
  if (!recording) return null;
  const loud = recording.level >= 0.99;
  return (
    <div className="recording" role="status" aria-label="Recording">
      <Mic size={15} className="recording-mic" />
      <span className="recording-title">{sequence.steps[recording.step]?.title}</span>
      <span className="number">{recording.seconds.toFixed(1)} s</span>
      <meter min={0} max={1} value={recording.level} aria-label="How loud it is" className={loud ? "loud" : ""} />
      <Button size="small" type="primary" onClick={() => endRecording(true)}>
        Keep
      </Button>
      <Button size="small" onClick={() => endRecording(false)}>
        Throw away
      </Button>
    </div>
  );
}

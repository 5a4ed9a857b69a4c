"use client";
import { Button, Tooltip } from "antd";
import { AudioLines, Mic, Music } from "lucide-react";
import type { Step } from "../../core/document/sequence";
import type { Sound } from "../../core/document/sounds";
import { stillForVoice } from "../../core/edit/soundCommands";
import { stepLength } from "../../core/program/spans";
import { formatSecondsShort } from "../../core/time/time";
import { addSoundFiles, fitStillAct } from "../../desk/acts/soundActs";
import { chooseParts } from "../../desk/selection/selecting";
import { sound } from "../../desk/selection/selection";
import { startRecording } from "../../desk/sounds/recorder";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { useChooseSound } from "./ChooseSound";

/** What is said in a step, how long that is against the step, and how more of it comes in. */
export function StepSounds({ step }: { step: Step }) {
  const desk = useDesk();
  const sequence = useSequence();
  const recording = useDeskState((s) => s.recording !== null);
  const voices = Object.values(sequence.sounds ?? {})
    .filter((s) => s.step === step.id && s.role === "voice")
    .sort((a, b) => a.at - b.at);
  const voice = useChooseSound("Recordings for this step", (files) =>
    addSoundFiles(desk, files, { role: "voice", step: step.id, at: 0 }),
  );
  const music = useChooseSound("Music for the sequence", (files) =>
    addSoundFiles(desk, files, { role: "music", step: null, at: 0 }),
  );
  const still = stillForVoice(sequence, step.id);
  const length = stepLength(step, sequence);
  const said = Math.max(0, ...voices.filter((v) => v.on).map((v) => v.at + v.to - v.from));
  return (
    <>
      <h4>Narration</h4>
      {voices.map((v) => (
        <SoundLine key={v.id} sound={v} />
      ))}
      {said > 0 && (
        <p className={said > length ? "problem" : "soft"} data-testid="said">
          {said > length
            ? `Goes on for ${formatSecondsShort(said - length)} s after the step ends.`
            : `Ends ${formatSecondsShort(length - said)} s before the step does.`}
        </p>
      )}
      <div className="row wrap">
        <Tooltip title="WAV, MP3, M4A, Ogg or FLAC. Several go to as many steps, from this one on.">
          <Button size="small" icon={<AudioLines size={13} />} onClick={voice.choose}>
            Add a recording
          </Button>
        </Tooltip>
        <Tooltip title="From the microphone, while the step is played">
          <Button
            size="small"
            icon={<Mic size={13} />}
            disabled={recording || !step.on}
            onClick={() => void startRecording(desk, step.id)}
          >
            Record
          </Button>
        </Tooltip>
        <Tooltip title="Lies under the whole sequence and gets softer while somebody speaks">
          <Button size="small" icon={<Music size={13} />} onClick={music.choose}>
            Add music
          </Button>
        </Tooltip>
        {still !== null && still !== step.stillAfter && (
          <Button size="small" onClick={() => fitStillAct(desk, step.id)}>
            Fit the still after ({formatSecondsShort(still)} s)
          </Button>
        )}
        {voice.field}
        {music.field}
      </div>
    </>
  );
}

function SoundLine({ sound: v }: { sound: Sound }) {
  const desk = useDesk();
  const failed = useDeskState((s) => s.heard[v.asset]?.state === "failed");
  return (
    <button type="button" className={`sound-line ${v.on ? "" : "off"}`} onClick={() => chooseParts(desk, sound(v.id))}>
      <span className="sound-name">{v.name}</span>
      <span className="number soft">
        {failed ? "cannot be read" : `${formatSecondsShort(v.at)} to ${formatSecondsShort(v.at + v.to - v.from)} s`}
      </span>
    </button>
  );
}

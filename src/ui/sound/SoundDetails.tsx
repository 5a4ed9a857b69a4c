"use client";
import { Button, Select, Switch } from "antd";
import { useState } from "react";
import { DUCK_MOST, type Sound, VOLUME_LEAST, VOLUME_MOST } from "../../core/document/sounds";
import { moveSound, SOUND_LEAST, trimSound } from "../../core/edit/soundCommands";
import { soundStart } from "../../core/sound/schedule";
import { formatSecondsShort } from "../../core/time/time";
import { formatNumber } from "../../core/units/units";
import {
  changeRole,
  changeSound,
  fitStillAct,
  removeSoundAct,
  replaceSoundFile,
  soundTo,
} from "../../desk/acts/soundActs";
import { hearAgain } from "../../desk/sounds/heard";
import { loudnessNow } from "../../desk/sounds/loudness";
import { startRecording } from "../../desk/sounds/recorder";
import { Field } from "../common/Field";
import { Range } from "../common/Range";
import { TimeField } from "../common/TimeField";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { NumberField } from "../publish/OutputFields";
import { useChooseSound } from "./ChooseSound";

/** A recording: where it is heard, what of it, how loud, and how it comes and goes. */
export function SoundDetails({ id }: { id: string }) {
  const desk = useDesk();
  const sequence = useSequence();
  useDeskState((s) => s.programVersion);
  const sound = sequence.sounds?.[id];
  if (!sound) return null;
  const take = (what: string, change: Parameters<typeof changeSound>[3]) => changeSound(desk, id, what, change);
  return (
    <>
      <h3>{sound.role === "music" ? "Music" : "Recording"}</h3>
      <div className="form">
        <span>Name</span>
        <Field
          ariaLabel="Name of the recording"
          value={sound.name}
          parse={(text) => {
            if (text.trim() === "") return { error: "A recording needs a name." };
            take("Name", { name: text.trim().slice(0, 120) });
            return null;
          }}
        />
        <span>Is</span>
        <Select
          size="small"
          aria-label="What it is"
          value={sound.role}
          onChange={(role) => changeRole(desk, id, role)}
          options={[
            { value: "voice", label: "a voice in a step" },
            { value: "music", label: "music under the sequence" },
          ]}
        />
      </div>
      <State asset={sound.asset} />
      <Times sound={sound} />
      <h4>Loudness</h4>
      <div className="form">
        <span>Volume</span>
        <Volume volume={sound.volume} take={(volume) => take("Volume", { volume })} />
        <Softer />
        <span>Fade in</span>
        <TimeField
          ariaLabel="Fade in"
          ticks={sound.fadeIn}
          rate={sequence.rate}
          max={sound.length}
          onTake={(fadeIn) => take("Fade in", { fadeIn })}
        />
        <span>Fade out</span>
        <TimeField
          ariaLabel="Fade out"
          ticks={sound.fadeOut}
          rate={sequence.rate}
          max={sound.length}
          onTake={(fadeOut) => take("Fade out", { fadeOut })}
        />
        {sound.fadeIn + sound.fadeOut > sound.to - sound.from && !sound.repeat && (
          <span className="soft wide">Together longer than what is heard: they share it.</span>
        )}
        {sound.role === "music" && (
          <>
            <span>Softer under a voice</span>
            <NumberField
              field={{ label: "Softer under a voice", type: "number", min: 0, max: DUCK_MOST, unit: "dB" }}
              value={sound.duck}
              take={(duck) => take("Softer under a voice", { duck })}
            />
            <span>Again to the end</span>
            <span>
              <Switch
                size="small"
                aria-label="Again to the end"
                checked={sound.repeat}
                onChange={(repeat) => take("Repeating", { repeat })}
              />
            </span>
          </>
        )}
        <span>Heard</span>
        <span>
          <Switch size="small" aria-label="Heard" checked={sound.on} onChange={(on) => take("Switch", { on })} />
        </span>
      </div>
      <Acts sound={sound} />
    </>
  );
}

/** Says by how much everything is played and made softer so that nothing clips. */
function Softer() {
  const desk = useDesk();
  // Another waveform at hand may be one more that is too loud.
  useDeskState((s) => s.heard);
  const gain = loudnessNow(desk);
  if (gain === 1) return null;
  return (
    <span className="soft wide">
      All sounds together would clip: they are played, and made, {formatNumber(-20 * Math.log10(gain), 1)} dB softer.
    </span>
  );
}

/** Volume by a slider or typed, dB. */
function Volume({ volume, take }: { volume: number; take(volume: number): void }) {
  const [held, setHeld] = useState<number | null>(null);
  return (
    <span className="sound-volume">
      <Range
        label="Volume by hand"
        min={VOLUME_LEAST}
        max={VOLUME_MOST}
        step={0.5}
        value={held ?? volume}
        onChange={setHeld}
        onDone={() => {
          setHeld(null);
          if (held !== null && held !== volume) take(held);
        }}
      />
      <NumberField
        field={{ label: "Volume", type: "number", min: VOLUME_LEAST, max: VOLUME_MOST, unit: "dB" }}
        value={held ?? volume}
        take={take}
      />
    </span>
  );
}

/** Says while the file is on its way, or why it is not there. */
function State({ asset }: { asset: string }) {
  const desk = useDesk();
  const heard = useDeskState((s) => s.heard[asset]);
  if (!heard || heard.state === "loading") return <p className="soft">Loading the sound …</p>;
  if (heard.state === "ready") return null;
  return (
    <p className="problem" role="alert">
      {heard.message}{" "}
      <Button size="small" onClick={() => hearAgain(desk)}>
        Try again
      </Button>
    </p>
  );
}

/** When it is heard, and what of the file. */
function Times({ sound }: { sound: Sound }) {
  const desk = useDesk();
  const sequence = useSequence();
  const { rate } = sequence;
  const start = soundStart(sound, desk.program.steps);
  const step = sound.step === null ? null : sequence.steps[sound.step];
  const length = sound.to - sound.from;
  const move = (ticks: number) => {
    const command = soundTo(desk, sound.id, ticks);
    if (command) desk.edit(`Move recording "${sound.name}"`, command);
  };
  const trim = (from: number, to: number) => desk.edit(`Trim recording "${sound.name}"`, trimSound(sound.id, from, to));
  return (
    <>
      <h4>Timing</h4>
      <div className="form">
        {step && (
          <>
            <span>In its step at</span>
            <TimeField
              ariaLabel="In its step at"
              ticks={sound.at}
              rate={rate}
              onTake={(at) => desk.edit(`Move recording "${sound.name}"`, moveSound(sound.id, sound.step, at))}
            />
          </>
        )}
        {start !== null && (
          <>
            <span>In the sequence at</span>
            <TimeField ariaLabel="In the sequence at" ticks={start} rate={rate} onTake={move} />
          </>
        )}
        <span>Heard from</span>
        <TimeField
          ariaLabel="Heard from"
          ticks={sound.from}
          rate={rate}
          max={sound.to - SOUND_LEAST}
          frames={false}
          onTake={(from) => trim(from, sound.to)}
        />
        <span>to</span>
        <TimeField
          ariaLabel="Heard to"
          ticks={sound.to}
          rate={rate}
          min={sound.from + SOUND_LEAST}
          max={sound.length}
          frames={false}
          onTake={(to) => trim(sound.from, to)}
        />
      </div>
      <p className="soft number">
        {formatSecondsShort(length)} s of {formatSecondsShort(sound.length)} s, from {sound.file}
        {step ? `, in "${step.title}"` : ""}
        {start === null ? ", whose step is switched off" : ""}
      </p>
    </>
  );
}

/** What is done to it as a whole. */
function Acts({ sound }: { sound: Sound }) {
  const desk = useDesk();
  const recording = useDeskState((s) => s.recording !== null);
  const other = useChooseSound(
    "Another file for this recording",
    ([file]) => file && void replaceSoundFile(desk, sound.id, file),
    false,
  );
  const { step } = sound;
  return (
    <div className="row wrap">
      <Button size="small" onClick={other.choose}>
        Put another file here
      </Button>
      {step !== null && (
        <Button size="small" disabled={recording} onClick={() => void startRecording(desk, step, sound.id)}>
          Record again
        </Button>
      )}
      {step !== null && (
        <Button size="small" onClick={() => fitStillAct(desk, step)}>
          Fit the still after
        </Button>
      )}
      <Button size="small" danger onClick={() => removeSoundAct(desk, sound.id)}>
        Remove
      </Button>
      {other.field}
    </div>
  );
}

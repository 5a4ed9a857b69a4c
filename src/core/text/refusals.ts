/**
 * What each refusal says. Words that a user reads are made here and nowhere else; every text says what to do instead.
 */
export const REFUSALS = {
  "graphics-reset": () =>
    "The graphics of this machine were reset while it was being drawn. Nothing was kept; make it again.",
  "no-graphics": () =>
    "This browser gives no room to draw in 3D just now. Close other pages that draw, or reload this one, then make it again.",
  gone: ({ what }: { what: string }) => `This ${what} no longer exists.`,
  "name-needed": ({ what }: { what: string }) => `A ${what} needs a name.`,
  "reason-needed": () => "Say in a few words why it is meant so.",
  "arrival-there": () => "There is an arrival at this time already.",
  "point-in-repeat": () =>
    "This move is repeated, and a point in a rest after its first time would make every time longer. Put it into the first time: the others follow.",
  "point-not-by-hand": () =>
    "Put the new point in a step in which this channel is keyed by hand, not in a still before or a ready-made move.",
  "curve-not-by-hand": () => "This part of the curve is no longer keyed by hand.",
  "scale-factors": () => "Scale time by a factor above 0, and values by any number.",
  "not-a-number": () => "This is not a number.",
  slack: () => "Say how far the curve may move: 0 or more.",
  "round-step": () => "Round to a step above 0, such as 0.1 or 5.",
  "last-camera": () => "A sequence needs a camera. Add another before you remove this one.",
  "camera-name-taken": ({ name }: { name: string }) =>
    `There is a camera called "${name}" already. Choose another name.`,
  "step-not-shown": () => "This step is gone or switched off.",
  "nothing-to-smooth": () => "This camera does not move in this step, so there is nothing to smooth.",
  "last-step": () => "A sequence keeps at least one step. Empty this one instead.",
  "nothing-timed-selected": () => "Select arrivals or moves first.",
  "not-a-time": () => "This is not a time. Type seconds (2.4), frames (75f) or minutes:seconds:frames.",
  "before-action": () => "That would be before the step's action begins. Move it less, or shorten the still before.",
  "more-time-no-help": () =>
    "More time does not make the camera slow enough here. Let it turn less in this move, or take the angle in two.",
  "beyond-an-hour": () => "That is beyond an hour, the longest a step may last.",
  "scale-factor": () => "Scale by a factor above 0, such as 0.5 or 2.",
  "end-before-start": () => "The end would come before the start. Choose a time on its own side.",
  "step-too-short": ({ least }: { least: string }) =>
    `What moves in it needs at least ${least} s. Shorten that first, or take its stills away: "4 s, no stills".`,
  "order-two": () => "Select at least two to put them one after another.",
  "spread-too-long": () =>
    "Together these take longer than from the first to the last: with equal gaps one would begin before the step's action. Move the last one later, or make them shorter.",
  "spread-three": () => "Select at least three to spread: the first and the last stay where they are.",
  "speed-three": () => "Select at least three arrivals of one part in one step: their speed can be made equal.",
  "speed-units": () =>
    "These arrivals change things of different units, which have no common speed. Choose one channel in the curves.",
  "speed-nothing": () => "Nothing changes between these arrivals, so there is no speed to make equal.",
  "reversed-alone": () => "A reversed move belongs to the move it reverses. Copy that one, then put the copy back.",
  "nothing-to-paste": () => "Nothing of what was copied can move these parts.",
  "cycle-nothing": () => "Select the moves that make up the cycle first.",
  "cycle-steps": () => "A cycle lies in one step. Select moves of one step.",
  "cycle-closed": () => "The cycle is closed already: it ends as it begins.",
  "no-own-axis": ({ name }: { name: string }) =>
    `${name} has no round faces that tell its axis. Add a joint and point at an axis instead.`,
  "no-thread-axis": ({ name }: { name: string }) =>
    `"${name}" has no round faces that tell its axis. Make a screw joint under Joints and pick the axis there.`,
  "keeps-no-speed": ({ name }: { name: string }) =>
    `${name} is a ready-made move and ends where it ends. Let it do it again from there, or turn it into hand keys.`,
  "cycle-no-time": () => "This block takes no time, so it cannot be repeated until a moment.",
  "step-off": () => "This step is switched off. Switch it on first.",
  "goal-frame": () => "The whole must last at least one frame.",
  "no-length": () => "The sequence has no length yet. Add moves or stills first.",
  "needs-parts": ({ title }: { title: string }) => `"${title}" needs parts. Select them first.`,
  "one-part": ({ title }: { title: string }) => `"${title}" is for one part or group. Select just one.`,
  "move-time": () => "A move cannot begin before its step or last a negative time.",
  "hand-no-settings": () => "A move keyed by hand has no settings.",
  "by-hand-already": () => "This move is keyed by hand already.",
  "nothing-to-key": ({ title }: { title: string }) => `"${title}" moves nothing that could be keyed by hand.`,
  "takes-off-follower": () =>
    "It takes off a part that follows another joint, which only a ready-made move can. It stays as it is.",
  "split-off": () => "This step is switched off. Switch it on to split it.",
  "split-outside": () => "Put the playhead inside the step, between its start and its end, and split it there.",
  "split-moving": ({ name, hint }: { name: string; hint: string }) =>
    `${name} is moving there, and a movement cannot be cut.${hint}`,
  "split-repeating": ({ name }: { name: string }) =>
    `${name} repeats beyond that moment, and its cycles cannot be cut apart. Let it act once, or split after it.`,
  "merge-nothing": () => "There is no step after this one to merge with.",
  "merge-half-on": ({ first, next }: { first: string; next: string }) =>
    `Of "${first}" and "${next}" only one is switched on. Switch both on or both off first.`,
  "merge-too-long": ({ what, length, most }: { what: string; length: number; most: number }) =>
    `The two ${what}s have ${length} characters together, and a ${what} may have ${most}. Shorten one of them first.`,
  "name-too-long": ({ length, most }: { length: number; most: number }) =>
    `A name may have at most ${most} characters; this one has ${length}.`,
  "group-empty": () => "Select the parts that the group shall hold.",
  "pose-name-needed": () => 'A pose needs a name, such as "open".',
  "pose-name-taken": ({ name }: { name: string }) =>
    `There is already a pose "${name}" here. Choose another name, or update that one.`,
  "look-name-taken": ({ name }: { name: string }) =>
    `There is already a look "${name}". Choose another name, or update that one.`,
  "copy-of-copy": () => "This is a copy itself. Copy the original again instead.",
  "home-numbers": () => "A home needs finite numbers.",
  "no-joint-reading": () => "This part has no joint whose reading could be shown. Make one under Joints first.",
  "nothing-to-put-back": () => "Select the move that is to be put back, and make it from there.",
  "no-screw": () => "These parts have no screw joint yet. Make one in their joints, or let one be found.",
  "no-such-move": ({ kind }: { kind: string }) => `There is no kind of move called "${kind}".`,
  "no-joint": () => "These parts have no joint. Make one under Joints first.",
  "no-pose": () => "This part has no named pose yet. Pose it, then save what is shown as a pose.",
  "no-look": () => "There is no saved look yet. Save one under Look first.",
  "four-bar-parallel": () => "The two hinges of a four-bar must be parallel.",
  "four-bar-apart": () => "The two hinges of a four-bar must stand apart.",
  "four-bar-pin": () => "A pin of the four-bar lies on its own hinge's axis. Pick the pin at the other end of the bar.",
  "four-bar-coupler": () => "Both pins of the coupler are at the same place. Pick its two ends.",
  "links-circle": () => "The links run in a circle.",
  "crank-square": () => "The slide must run square to the crank's axis.",
  "crank-pin": () => "The crank pin lies on the crank's axis. Pick the pin that goes round.",
  "crank-rod": () => "Crank pin and wrist pin are at the same place. Pick the two ends of the rod.",
  said: ({ text }: { text: string }) => text,
  "no-worker": () =>
    "This browser cannot work in the background (web workers are switched off). Allow them, or open Plextan in another browser.",
  "worker-died": () =>
    "What worked on this in the background ended unexpectedly. Try it again; if it happens again, reload the page.",
  "encoder-empty": () => "The encoder gave no file. Try a smaller picture or another quality.",
  "no-file": () => "No file was given.",
  "several-models": ({ names }: { names: readonly string[] }) =>
    `These are ${names.length} models: ${few(names)}. Bring in one at a time, with the files that belong to it.`,
  "no-model": ({ names }: { names: readonly string[] }) =>
    `None of these files is a model: ${few(names)}. Choose the model (.gltf, .obj) together with them.`,
  "parts-gone": () => "None of the parts is in this revision of the assembly.",
  "no-stills": () =>
    "This step has no still and no empty end that could be shortened. Move what comes later closer by hand.",
  "output-wrong": ({ text }: { text: string }) => text,
  "disk-full": () =>
    "There is no room left on this disk for what is being made; nothing half made was kept. Make room, or choose a smaller size or part.",
  "outputs-many": () => "A sequence keeps up to 100 outputs. Remove one that is no longer made.",
  "output-name-taken": ({ name }: { name: string }) =>
    `There is an output called "${name}" already. Choose another name.`,
  "output-not-known": ({ kind }: { kind: string }) =>
    `This version cannot make "${kind}". Update Plextan, or add an output of another kind.`,
  "output-empty": () => "Nothing of the sequence is left in this output's part. Choose another part.",
  "no-encoder": ({ format }: { format: string }) =>
    `This browser cannot encode ${format} here. Choose another format or a smaller size, or use a current Chromium-based browser over https or at 127.0.0.1.`,
  "made-otherwise": ({ what }: { what: string }) =>
    `What was made is not what was asked for: ${what}. Nothing was kept; try again, or choose another format.`,
  "sounds-many": ({ most }: { most: number }) =>
    `A sequence keeps up to ${most} recordings. Remove some that are no longer heard.`,
  "sound-too-short": () => "At least a hundredth of a second of a recording is left. Trim less.",
  "sound-before-step": () =>
    "It would begin before its step does. Put it later first, or move it into the step before.",
  "sound-unreadable": ({ file }: { file: string }) =>
    `"${file}" is not a sound that this browser can read. Bring in WAV, MP3, M4A, Ogg or FLAC.`,
  "sound-too-large": ({ file, most }: { file: string; most: number }) =>
    `"${file}" is too large; a recording may have up to ${most} MB. Save it as MP3, M4A or Ogg.`,
  "sound-too-long": ({ file, minutes, most }: { file: string; minutes: number; most: number }) =>
    `"${file}" is ${minutes} minutes long; a recording may have up to ${most}. Cut it into pieces, one for each step.`,
  "sound-empty": ({ file }: { file: string }) =>
    `There is no sound in "${file}". Record it again, or choose another file.`,
  "sound-gone": ({ names }: { names: readonly string[] }) =>
    `These recordings cannot be read: ${few(names)}. Put another file in their place, or switch them off.`,
  "step-silent": () => "Nothing is said in this step. Add a recording first.",
  "no-microphone": () =>
    "There is no microphone that this page may use. Connect one and allow it in the browser's settings for this page, or bring in a file.",
  "trigger-key-taken": ({ key }: { key: string }) =>
    `Another move is played by the key ${key.toUpperCase()}. Choose another key.`,
  "player-updated": () =>
    "Plextan was updated since you opened it, and the page would not fit together. Reload, then make it again; all is saved.",
  "player-missing": () =>
    "The player that goes into the page is not there. Start Plextan again by its start command, which puts it in place.",
  "letters-missing": () =>
    "The letters that go into the sheets are not there. Start Plextan again by its start command, which puts them in place.",
  "no-free-way": () =>
    "There is no straight way on which it comes off free. Take off first what is in its way, or move it by hand.",
  "explode-two": () =>
    "An exploded view needs at least two parts or sub-assemblies. Select more, or a sub-assembly with several in it.",
  "no-geometry": () => "There is no geometry in what is selected.",
  "no-geometry-in-one": () => "There is no geometry in one of the selected things. Leave it out.",
  "not-saved-yet": () => "Your last changes are not saved yet. Send it again once they are.",
  "not-changes": () => "This is not a file of changes: it is not valid JSON.",
  "not-these-changes": ({ path }: { path: string }) =>
    `This is not a file of changes that this Plextan reads (at ${path}).`,
  "reading-failed": ({ why }: { why: string }) => why,
} as const;

/** The first few of many names. */
function few(names: readonly string[]): string {
  return `${names.slice(0, 4).join(", ")}${names.length > 4 ? ", ..." : ""}`;
}

export type RefusalCode = keyof typeof REFUSALS;
/** The numbers and names that a refusal is about. */
export type RefusalData<C extends RefusalCode> = Parameters<(typeof REFUSALS)[C]>;

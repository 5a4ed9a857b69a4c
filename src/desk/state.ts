import type { ImportSettings } from "../core/assembly/importSettings";
import type { AbruptPlace } from "../core/checks/abrupt";
import type { StepFraming } from "../core/checks/framing";
import type { PartTarget } from "../core/document/parts";
import type { Preparation } from "../core/document/preparation";
import type { MadeMove, Sequence } from "../core/document/sequence";
import type { Clip } from "../core/edit/timing/clip";
import type { Proposed } from "../core/finish/proposals";
import type { Triple } from "../core/math/triple";
import type { Proof } from "../core/proof/proof";
import type { Round } from "../core/review/said";
import type { Identities } from "../core/revision/identity";
import type { Snapping } from "../stage/handleDrag";
import type { HandleFrame } from "../stage/handles";
import type { PickedFeature } from "../stage/stagePort";
import type { Aside } from "./documents/outbox";
import type { SaveStatus } from "./documents/saver";
import type { Arriving } from "./remembered/arrivingStore";
import type { PendingPose } from "./remembered/pendingStore";
import type { MoveRef } from "./selection/refs";
import type { Selected, Selection } from "./selection/selection";
import type { Heard } from "./sounds/soundFile";

export interface Loaded<T> {
  id: string;
  body: T;
}

/** A move that is being made: shown on the stage, stored only when it is added. `from` is where the playhead was. */
export interface Draft {
  step: string;
  move: MadeMove;
  from: number;
}

/** How curves are shown. */
export interface CurvePrefs {
  /** Channels of everything that moves, else of what is selected. */
  all: boolean;
  /** Curves over one another on one ground, else each channel in a strip of its own. */
  overlaid: boolean;
  /** All channels in one scale, else each in its own. */
  common: boolean;
  /** Leaves out channels that never change. */
  changing: boolean;
  /** The channel shown alone; null shows all that are not hidden. */
  only: string | null;
  hidden: readonly string[];
  search: string;
  /** What dragging a point may change. */
  lock: "free" | "time" | "value";
  /** Time in frames, else in seconds. */
  frames: boolean;
  /** Speed and acceleration in place of the values. */
  speed: boolean;
  /** Removing a point fits what is left to what was there. */
  fit: boolean;
  /** An earlier state shown dotted behind; see earlier.ts. */
  behind: string | null;
}

/** What playing does at the end of what is played. */
export type AtEnd = "stop" | "loop" | "turn";

/** How the sequence is played. */
export interface PlayPrefs {
  /** 0.1 to 4 times. */
  speed: number;
  atEnd: AtEnd;
  /** Every frame is shown, however long it takes; else time is kept and frames are left out. */
  every: boolean;
  /** Transitions as snaps, to judge the timing by itself. */
  blocked: boolean;
  /** The last and first quarter of a second of a loop slowly, to look at its seam. */
  seam: boolean;
}

/** How the timeline is edited. */
export interface TimingPrefs {
  snap: boolean;
  /** Everything later in the step comes along; else only what is selected moves. */
  along: boolean;
}

/** Two timings looked at together. */
export interface Compare {
  /** The other one: a timing version by id, or a sequence made for the moment, with its name. */
  other: { version: string } | { body: Sequence; label: string };
  how: "ghost" | "beside";
}

/** Helps at the desk, each on request. */
export interface Aids {
  /** The path of what is selected, through its step. */
  path: boolean;
  /** What is selected as it stands before and after now. */
  ghosts: boolean;
  thirds: boolean;
  /** The part of the picture that every screen shows, and the smaller one for texts. */
  margins: boolean;
  /** A second view: none, what the first does not show, or the id of a camera. */
  second: string;
  /** A plain, fast light to work in, apart from the published picture. */
  working: boolean;
  /** Steps are drawn for their cards, and the project for the list of projects. */
  pictures: boolean;
  /** Edges are smoothed while working; takes half of the time where there is no graphics card. */
  smooth: boolean;
  /** Whether what acts is in the picture is worked out in the background. */
  framing: boolean;
  /** Whether the sequence is proofed in the background; while the list is open it is in any case. */
  proof: boolean;
}

export interface Spot {
  place: Triple;
  keys: readonly string[];
}

/** What the proof found, and in which state of the film. */
export interface Proofed extends Proof {
  film: string;
  /** When each step began in it, ticks: what was found moves along with its step until it is looked at again. */
  starts: Readonly<Record<string, number>>;
}

/** How the list of findings is looked at. */
export interface Proofing {
  open: boolean;
  /** The finding that is chosen, by its name; see findingId. */
  chosen: string | null;
  /** Only those of one check. */
  check: string | null;
  show: "open" | "wrong" | "look" | "meant";
  /** The finding whose way is being planned again, by its name. */
  planning: string | null;
  /** Grows whenever the list is asked for: then the keyboard is in it. */
  asked: number;
}

/** What becomes of an output that is made. */
export type Making =
  | { state: "waiting" }
  | {
      state: "busy";
      share: number;
      what: string /** Seconds that are left, where they can be told. */;
      left: number | null;
    }
  | {
      state: "done";
      /** Address of the file for as long as the page is open. */
      url: string;
      name: string;
      type: string;
      size: number;
      checked: readonly string[];
      /** The film and settings it was made of, to tell when it is no longer what would be made. */
      of: string;
      quick: boolean;
    }
  | { state: "failed"; message: string };

/** A recording that is going on. */
export interface Recording {
  /** The step it is for, or the recording it is to take the place of. */
  step: string;
  replaces: string | null;
  /** Seconds so far, and how loud it is now, 0 to 1. */
  seconds: number;
  level: number;
}

export interface Notice {
  id: number;
  tone: "info" | "problem";
  text: string;
}

/** Which revision of the CAD file the project stands on. */
export interface AssemblyState {
  number: number;
  fileName: string;
  settings: ImportSettings;
  identities: Identities;
}

/** A change that touches what is keyed: which of the two shall stay is asked for. */
export interface Asking {
  title: string;
  text: string;
  /** Lines that list what is touched. */
  lines: readonly string[];
  keepValues(): void;
  keepPoses(): void;
  /** Other answers than the usual two, the last of them the primary one. */
  answers?: readonly { label: string; act(): void }[];
}

/** What the details of a part show. */
export type PartTab = "move" | "finish" | "joints";

/** Somebody else at the same project. */
export interface Other {
  tab: string;
  name: string;
  sequence: string;
  step: string;
}

export interface Reviewing {
  open: boolean;
  /** The round that is looked at; null for none yet. */
  round: Round | null;
  /** The comment that was gone to last. */
  chosen: string | null;
  /** Open comments whose part or step is another since they came: settling them is offered. */
  touched: readonly string[];
}

export interface DeskState extends Selected {
  /** What is selected; `selection`, `group`, `pins`, `marked`, `points` and `focus` are derived of it. */
  selected: Selection;
  projectId: string;
  projectName: string;
  /** Why nothing may be changed, in words; null where it may. */
  locked: string | null;
  /** Others who have the project open, and where they are. */
  others: Other[];
  /** What is said about the sequence: whether its list is open, which round, and the round as it stands. */
  reviewing: Reviewing;
  /** Why whoever sits here is out: signed out, removed, or the project is for others now; null while they are in. */
  out: string | null;
  assembly: AssemblyState;
  /** Grows when another revision of the assembly was put in place: everything drawn from it is made anew. */
  assemblyVersion: number;
  /** Something long that holds up the desk, in words, with its share done or null. */
  waiting: { text: string; share: number | null } | null;
  preparation: Loaded<Preparation>;
  sequences: Loaded<Sequence>[];
  sequenceId: string;
  /** Grows with every change of the compiled program. */
  programVersion: number;
  ticks: number;
  playing: boolean;
  /** Whether it plays backward. */
  backward: boolean;
  play: PlayPrefs;
  /** The part that is played, ticks; null plays all. */
  range: { from: number; to: number } | null;
  /** Frames left out since playing began, to keep time. */
  dropped: number;
  timing: TimingPrefs;
  clip: Clip | null;
  curves: CurvePrefs;
  /** States of the open sequence before its last edits, by the edit that came then, newest first. */
  earlier: readonly { id: string; label: string; body: Sequence }[];
  /** States of a sequence from before the page was opened, as far as they were asked for; null until then. */
  past: {
    sequence: string;
    list: readonly { id: string; label: string; body: Sequence }[] | "asked" | "failed";
  } | null;
  /** What is shown below the stage. */
  below: "lanes" | "curves";
  compare: Compare | null;
  /** The picture alone, as published; null while the desk is worked at. */
  watching: "fit" | "half" | "pixels" | null;
  /** The joint whose gauge is shown, of the selected part or group. */
  joint: string | null;
  hover: number | null;
  partTab: PartTab;
  draft: Draft | null;
  /** Moves copied for pasting, by where they were. */
  copied: readonly MoveRef[] | null;
  /** Something that is being worked out for a move, in words, with its share done; it can be stopped. */
  work: { text: string; share: number | null; stop(): void } | null;
  /** Addresses of pictures of steps, by sequence and step; see stepPictures.ts. */
  stepPictures: Readonly<Record<string, string>>;
  /** What helps on the stage and is never published. */
  aids: Aids;
  /** Grows when the free view was typed. */
  viewVersion: number;
  /** Whether what acts is in the picture, by step; null until it was looked at. */
  framing: Readonly<Record<string, StepFraming>> | null;
  /** Where the camera's motion jumps, worst first; null until it was looked at. */
  abrupt: readonly AbruptPlace[] | null;
  /** What the proof found last; null until it has looked. It may lag behind while it looks again. */
  proof: Proofed | null;
  /** Share of the proof that is done; null while it does not look. */
  proofShare: number | null;
  proofing: Proofing;
  /** A place that is pointed at, mm in the assembly, with the parts it is about; all else is seen through. */
  spot: Spot | null;
  pending: Readonly<Record<string, PendingPose>>;
  keepOnRelease: boolean;
  through: boolean;
  parallel: boolean;
  flying: boolean;
  handleFrame: HandleFrame;
  /** How what is kept next arrives; each sequence has its own. */
  arriving: Arriving;
  snapping: Snapping;
  /** What a pick on the stage is for, in words; null when none is going on. */
  picking: string | null;
  /** What the pick would take now. */
  feature: PickedFeature | null;
  /** A saved look that is shown for comparison, instead of what is prepared now. */
  comparing: string | null;
  /** Finishes that are proposed and shown, but not taken yet. */
  proposed: readonly Proposed[] | null;
  /** The context menu of parts: where it was asked for, in page pixels. */
  menu: { x: number; y: number } | null;
  /** The part or group whose name is being typed in the tree. */
  renaming: PartTarget | null;
  /** What is made, or was, by sequence and output. */
  making: Readonly<Record<string, Making>>;
  /** Sound files of the open sequence, by asset. */
  heard: Readonly<Record<string, Heard>>;
  recording: Recording | null;
  asking: Asking | null;
  save: SaveStatus;
  /** Changes that were not taken, kept in this browser until the user decides. */
  asides: readonly Aside[];
  undoLabel: string | null;
  redoLabel: string | null;
  notice: Notice | null;
  readout: { x: number; y: number; text: string } | null;
  dialog:
    | "publish"
    | "shortcuts"
    | "rate"
    | "revision"
    | "reread"
    | "history"
    | "moves"
    | "changes"
    | "add-files"
    | null;
}

/** What of the state may be set directly; what is selected is changed by way of selection.ts. */
export type DeskChange = Partial<Omit<DeskState, keyof Selected | "selected">>;

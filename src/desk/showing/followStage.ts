import type { Program } from "../../core/program/program";
import { Stage } from "../../stage/stage";
import type { StageEvents } from "../../stage/stagePort";
import type { Desk } from "../port";

const nothing = () => {};
const QUIET: StageEvents = {
  onPick: nothing,
  onHover: nothing,
  onHandle: nothing,
  onFeature: nothing,
  onMenu: nothing,
  onLook: nothing,
  onGraphics: nothing,
  onDrawn: nothing,
};

/** A stage that only shows: it goes along with the desk's time, view and look, frame by frame in step. */
export class FollowStage {
  readonly stage: Stage;
  private readonly stops: (() => void)[] = [];
  private readonly observer: ResizeObserver;

  /**
   * @param program what it shows at each time; asked again with every edit
   * @param through always through the camera, as published; else as the desk's own stage stands
   */
  constructor(
    private readonly desk: Desk,
    canvas: HTMLCanvasElement,
    box: HTMLElement,
    private readonly program: () => Program,
    private readonly through: boolean,
    notes: HTMLCanvasElement | null = null,
    ratio = Math.min(2, window.devicePixelRatio),
  ) {
    this.stage = new Stage(canvas, desk.pkg, desk.index, desk.trees, program(), QUIET, desk.state.aids.smooth);
    this.stage.notes.canvas = notes;
    this.stage.setHandleTarget(null);
    const size = () => this.stage.resize(Math.max(1, box.clientWidth), Math.max(1, box.clientHeight), ratio);
    this.observer = new ResizeObserver(size);
    this.observer.observe(box);
    size();
    this.dress();
    this.show();
    this.stops.push(
      desk.store.subscribe((s, before) => {
        if (s.programVersion !== before.programVersion || s.compare !== before.compare)
          this.stage.setProgram(this.program());
        if (
          s.preparation !== before.preparation ||
          s.aids.working !== before.aids.working ||
          s.comparing !== before.comparing ||
          s.proposed !== before.proposed
        )
          this.dress();
        if (
          s.ticks !== before.ticks ||
          s.playing !== before.playing ||
          s.through !== before.through ||
          s.programVersion !== before.programVersion
        )
          this.show();
      }),
    );
    if (!through) this.followView();
  }

  private dress(): void {
    this.stage.setWorking(this.through ? false : this.desk.state.aids.working);
    this.desk.dressStage(this.stage);
  }

  private show(): void {
    const { state } = this.desk;
    const program = this.program();
    program.blocked = state.playing && state.play.blocked;
    this.stage.setPlaying(state.playing);
    this.stage.cameras.setThrough(this.through || state.through);
    this.stage.setTime(state.ticks);
  }

  /** The free view of the desk's own stage, looked after before every frame. */
  private followView(): void {
    let frame = 0;
    const look = () => {
      const { view } = this.desk;
      if (view && !this.desk.state.through) {
        const [mine, theirs] = [
          this.stage.control.view as Record<string, number>,
          view.control.view as Record<string, number>,
        ];
        let moved = false;
        for (const k in theirs) {
          if (mine[k] === theirs[k]) continue;
          mine[k] = theirs[k] as number;
          moved = true;
        }
        if (moved) this.stage.invalidate();
      }
      frame = requestAnimationFrame(look);
    };
    frame = requestAnimationFrame(look);
    this.stops.push(() => cancelAnimationFrame(frame));
  }

  dispose(): void {
    for (const stop of this.stops) stop();
    this.observer.disconnect();
    this.stage.dispose();
  }
}

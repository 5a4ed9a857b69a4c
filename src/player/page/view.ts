import type { AssemblyIndex } from "../../core/assembly/assembly";
import type { Trigger } from "../../core/document/triggers";
import type { Program } from "../../core/program/program";
import { TICKS_PER_SECOND } from "../../core/time/time";
import { Following } from "../following";
import type { Player, PlayerEvents } from "../player";
import { browserSpeaker } from "../speaker";
import { make } from "./dom";
import type { PageFilm } from "./film";
import { lookAround } from "./gestures";
import { partsList } from "./parts";

/** Outlines of the buttons' signs, in a square of 24. */
const SIGNS = {
  play: "M7 4l13 8-13 8z",
  pause: "M6 4h4v16H6zM14 4h4v16h-4z",
  back: "M6 5h3v14H6zM20 5v14l-10-7z",
  on: "M15 5h3v14h-3zM4 5l10 7-10 7z",
  sound: "M4 9h4l6-5v16l-6-5H4zM17 8c2 2 2 6 0 8z",
};

const sign = (name: keyof typeof SIGNS): SVGSVGElement => {
  const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
  svg.setAttribute("viewBox", "0 0 24 24");
  svg.setAttribute("aria-hidden", "true");
  const path = document.createElementNS("http://www.w3.org/2000/svg", "path");
  path.setAttribute("d", SIGNS[name]);
  svg.append(path);
  return svg;
};

const clock = (ticks: number): string => {
  const s = Math.floor(ticks / TICKS_PER_SECOND + 1e-6);
  return `${Math.floor(s / 60)}:${String(s % 60).padStart(2, "0")}`;
};

/** For how long it stands what was put back, ms. */
const SAID_MS = 5000;

/** A canvas for a film. */
export const pictureCanvas = (): HTMLCanvasElement => {
  // The page's first script has opened one already.
  const begun = (window as { plextanCanvas?: HTMLCanvasElement }).plextanCanvas ?? document.createElement("canvas");
  for (const [name, value] of Object.entries({ id: "picture", tabindex: "0", role: "img" }))
    begun.setAttribute(name, value);
  return begun;
};

/** What is round the picture: captions, controls, steps, parts; by pointer, touch and keyboard. */
export class PageView implements PlayerEvents {
  readonly notes = make("canvas", { id: "notes", "aria-hidden": "true" });
  private readonly stage = make("div", { id: "stage" });
  private readonly caption = make("p", { id: "caption" });
  private readonly name = make("p", { id: "name", "aria-live": "off" });
  private readonly back = make("button", { id: "back", type: "button" }, "Back to the camera");
  private readonly play = make("button", { id: "play", type: "button" });
  private readonly scrub = make("input", { id: "scrub", type: "range", "aria-label": "Time", step: "any" });
  private readonly time = make("span", { id: "time" });
  private readonly said = make("p", { class: "unseen", "aria-live": "polite" });
  private readonly items = [...document.querySelectorAll<HTMLElement>("#steps li")];
  private readonly following = new Following(browserSpeaker);
  private readonly buffers = new Map<string, AudioBuffer>();
  private files = 0;
  private muted = false;
  private told = -1;
  private putBackWords = "-";
  private player: Player | null = null;
  /** Who has asked for less motion is shown what a step comes to; playing stays a choice. */
  private readonly still = matchMedia("(prefers-reduced-motion: reduce)");

  constructor(
    private readonly film: PageFilm,
    private readonly program: Program,
    /** Where the film is drawn. */
    readonly picture: HTMLCanvasElement,
  ) {}

  /** Puts the player in place of the pictures. */
  attach(player: Player): void {
    this.player = player;
    const root = document.getElementById("player");
    if (!root) return;
    const previous = make("button", { type: "button", "aria-label": "Step before" }, sign("back"));
    const next = make("button", { type: "button", "aria-label": "Next step" }, sign("on"));
    previous.onclick = () => this.toStep(player.step - 1);
    next.onclick = () => this.toStep(player.step + 1);
    this.play.onclick = () => this.toggle();
    this.back.onclick = () => {
      player.backToCamera();
      this.picture.focus();
    };
    const { from, to } = this.film.range;
    Object.assign(this.scrub, { min: String(from), max: String(to) });
    this.scrub.oninput = () => {
      // Pausing puts the slider where the playhead is.
      const wanted = Number(this.scrub.value);
      player.pause();
      player.seek(wanted);
    };
    const controls = make("div", { id: "controls", role: "group", "aria-label": "Playback" });
    controls.append(previous, this.play, next, this.scrub, this.time);
    if (Object.keys(this.film.sequence.sounds ?? {}).length > 0) controls.append(this.soundButton());
    if (this.film.parts) controls.append(this.partsButton(player, this.program.index));
    this.stage.append(this.picture, this.notes, this.caption, this.back, this.name);
    root.append(this.stage, controls, ...this.tries(player), this.said);
    root.hidden = false;
    document.documentElement.classList.add("alive");
    this.items.forEach((li, i) => {
      const button = li.querySelector("button");
      if (button) button.onclick = () => this.toStep(i);
    });
    lookAround(this.picture, player, {
      named: (node) => this.point(node),
      tapped: (node) => {
        this.point(node);
        for (const t of node < 0 ? [] : player.triggersAt(node)) this.setGoing(t);
      },
    });
    document.addEventListener("keydown", (e) => this.key(e));
    const size = () => {
      const { width } = this.stage.getBoundingClientRect();
      const { width: w, height: h } = this.film.sequence.picture;
      // Side by side the stage takes the room there is; below one another it has the picture's shape.
      const beside = matchMedia("(min-width: 900px)").matches;
      this.stage.style.height = beside ? "" : `${Math.round((width * h) / w)}px`;
      const r = this.stage.getBoundingClientRect();
      player.resize(r.width, r.height, Math.min(2, devicePixelRatio));
    };
    new ResizeObserver(size).observe(this.stage);
    addEventListener("resize", size);
    size();
    player.seek(from);
    // After the first picture, and before somebody plays: then nothing begins late.
    setTimeout(() => void this.listen(), 400);
  }

  /** What a trigger is called: by its move, or its step. */
  private nameOf(t: Trigger): string {
    const step = this.film.sequence.steps[t.step];
    return (t.move === null ? step?.title : step?.moves[t.move]?.name) ?? "";
  }

  /** What was opened is put back when the film goes on: said where the reader looks, and to who listens. */
  onPutBack(ids: readonly string[]): void {
    const names = this.player?.triggers.list.filter((t) => ids.includes(t.id)).map((t) => this.nameOf(t)) ?? [];
    this.putBackWords = `Put back: ${names.join(", ")}`;
    this.name.textContent = this.putBackWords;
    this.said.textContent = this.putBackWords;
    setTimeout(() => {
      if (this.name.textContent === this.putBackWords) this.name.textContent = "";
    }, SAID_MS);
  }

  /** Names what is pointed at, and what a click on it does. */
  private point(node: number): void {
    const { player } = this;
    const name = node < 0 ? "" : (this.program.index.assembly.nodes[node]?.name ?? "");
    const triggers = node < 0 || !player ? [] : player.triggersAt(node);
    this.name.textContent =
      triggers.length > 0 ? `${name}: click, ${triggers.map((t) => this.nameOf(t)).join(", ")}` : name;
    this.picture.style.cursor = triggers.length > 0 ? "pointer" : "grab";
  }

  /** Buttons for all that can be set going, for who has no pointer and does not know where to click. */
  private tries(player: Player): HTMLElement[] {
    const { list } = player.triggers;
    if (list.length === 0) return [];
    const buttons = list.map((t) => this.tryButton(t));
    return [
      make("div", { id: "tries", role: "group", "aria-label": "To try" }, make("span", {}, "To try:"), ...buttons),
    ];
  }

  private setGoing(t: Trigger): void {
    const { player } = this;
    if (!player) return;
    player.trigger(t.id);
    this.said.textContent = `${this.nameOf(t)}: ${player.triggers.isOpen(t.id) ? "played" : "played back"}`;
  }

  private readonly buttons = new Map<string, HTMLButtonElement>();
  private tryButton(t: Trigger): HTMLButtonElement {
    const more = t.key === null ? [] : [make("kbd", {}, t.key.toUpperCase())];
    const button = make("button", { type: "button", "aria-pressed": "false" }, this.nameOf(t), ...more);
    button.onclick = () => this.setGoing(t);
    this.buttons.set(t.id, button);
    return button;
  }

  private toStep(i: number): void {
    const { player } = this;
    if (!player) return;
    const at = Math.max(0, Math.min(this.items.length - 1, i));
    if (this.still.matches) player.showResult(at);
    else player.goTo(at, true);
  }

  private toggle(): void {
    if (this.player?.playing) this.player.pause();
    else this.player?.play();
  }

  private key(e: KeyboardEvent): void {
    const { player } = this;
    if (!player || e.defaultPrevented || e.ctrlKey || e.metaKey || e.altKey) return;
    const at = e.target as HTMLElement | null;
    // A field, a button and a box keep their own keys.
    if (at?.closest("input, summary") || (at?.closest("button") && (e.key === " " || e.key === "Enter"))) return;
    const keys: Record<string, () => void> = {
      " ": () => this.toggle(),
      ArrowRight: () => this.toStep(player.step + 1),
      ArrowLeft: () => this.toStep(player.step - 1),
      Home: () => this.toStep(0),
      End: () => this.toStep(this.items.length - 1),
      Escape: () => player.backToCamera(),
      "+": () => player.zoom(0.85),
      "-": () => player.zoom(1 / 0.85),
    };
    const own = player.triggers.list.find((t) => t.key !== null && t.key === e.key.toLowerCase());
    const run = own ? () => this.setGoing(own) : keys[e.key];
    if (!run) return;
    e.preventDefault();
    run();
  }

  private soundButton(): HTMLButtonElement {
    const button = make("button", { type: "button", "aria-pressed": "true" }, sign("sound"), "Sound");
    button.onclick = () => {
      this.muted = !this.muted;
      button.setAttribute("aria-pressed", String(!this.muted));
      this.onChange();
    };
    return button;
  }

  private partsButton(player: Player, index: AssemblyIndex): HTMLButtonElement {
    const list = make("section", { id: "parts", "aria-label": "Parts" });
    list.hidden = true;
    const side = document.getElementById("side");
    side?.prepend(list);
    const button = make("button", { type: "button", "aria-expanded": "false", "aria-controls": "parts" }, "Parts");
    button.onclick = () => {
      if (list.childElementCount === 0) list.append(...partsList(player, index));
      list.hidden = !list.hidden;
      button.setAttribute("aria-expanded", String(!list.hidden));
      if (!list.hidden) list.scrollIntoView({ block: "nearest" });
      if (side) side.scrollTop = 0;
    };
    return button;
  }

  /** Unpacks what is heard. */
  private async listen(): Promise<void> {
    const context = new OfflineAudioContext(2, 1, 48_000);
    for (const { asset } of Object.values(this.film.sequence.sounds ?? {})) {
      const text = document.getElementById(`sound-${asset}`)?.textContent;
      if (!text || this.buffers.has(asset)) continue;
      const bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
      const buffer = await context.decodeAudioData(bytes.buffer).catch(() => null);
      if (buffer) this.buffers.set(asset, buffer);
    }
    this.files++;
  }

  onChange(): void {
    const { player, program } = this;
    if (!player) return;
    const { sequence } = this.film;
    const { playing, ticks, looking } = player;
    const label = playing ? "Pause" : "Play";
    if (this.play.getAttribute("aria-label") !== label) {
      this.play.setAttribute("aria-label", label);
      this.play.replaceChildren(sign(playing ? "pause" : "play"));
    }
    this.back.hidden = !looking;
    for (const [id, button] of this.buttons) button.setAttribute("aria-pressed", String(player.triggers.isOpen(id)));
    this.scrub.value = String(ticks);
    this.scrub.setAttribute("aria-valuetext", clock(ticks - this.film.range.from));
    const { from, to } = this.film.range;
    this.time.textContent = `${clock(ticks - from)} / ${clock(to - from)}`;
    const step = player.step;
    if (step !== this.told) this.tell(step);
    if (!sequence.sounds || !playing || this.muted) this.following.quiet();
    else {
      this.following.follow({
        ...{ ticks, speed: 1, sequence, steps: program.steps, files: this.files },
        bufferOf: (asset) => this.buffers.get(asset),
      });
    }
  }

  /** Another step: its caption, its place in the list, and said to who listens. */
  private tell(step: number): void {
    this.told = step;
    const { sequence } = this.film;
    const found = sequence.steps[this.program.steps.ids[(this.player?.first ?? 0) + step] ?? ""];
    this.caption.textContent = found?.caption.trim() ?? "";
    const words = [`Step ${step + 1} of ${this.items.length}`, found?.title, found?.caption].filter(Boolean).join(". ");
    // In the same breath as what was put back for it.
    const put = this.name.textContent === this.putBackWords ? `${this.putBackWords}. ` : "";
    this.said.textContent = put + words;
    this.picture.setAttribute("aria-label", words);
    this.items.forEach((li, i) => {
      li.classList.toggle("here", i === step);
      const button = li.querySelector("button");
      if (i === step) button?.setAttribute("aria-current", "step");
      else button?.removeAttribute("aria-current");
    });
    const here = this.items[step];
    const side = document.getElementById("side");
    if (here && side && side.scrollHeight > side.clientHeight) {
      const top = here.offsetTop - side.offsetTop;
      if (top < side.scrollTop || top + here.offsetHeight > side.scrollTop + side.clientHeight)
        side.scrollTop = top - 8;
    }
  }
}

/** The page that is handed out: takes what lies in it and puts the player in place of the pictures. */
import { indexAssembly } from "../../core/assembly/assembly";
import { decodePackage } from "../../core/assembly/package";
import { takeLights } from "../../core/light/keptLight";
import { compile } from "../../core/program/compile";
import { beginPicture } from "../../stage/beginning";
import { Player } from "../player";
import type { PageFilm } from "./film";
import { PageView, pictureCanvas } from "./view";

declare global {
  interface Window {
    plextanUnpack(id: string): Promise<ArrayBuffer>;
    /** For who wants to look closer. */
    plextanPlayer?: Player;
  }
}

async function start(): Promise<void> {
  const [film, model, light] = await Promise.all([
    window.plextanUnpack("film").then((b) => JSON.parse(new TextDecoder().decode(b)) as PageFilm),
    window.plextanUnpack("model").then((b) => new Uint8Array(b)),
    window.plextanUnpack("light").then((b) => new Uint8Array(b)),
  ]);
  takeLights(film.lights, light);
  const pkg = { ...decodePackage(model), assembly: film.assembly };
  const index = indexAssembly(film.assembly);
  const picture = pictureCanvas();
  // The graphics have something to do while it is worked out what moves.
  const begun = beginPicture(picture, pkg, index, film.look);
  const program = compile(index, film.preparation, film.sequence);
  const view = new PageView(film, program, picture);
  const player = new Player(
    view.picture,
    view.notes,
    { pkg, program, look: film.look, range: film.range, triggers: Object.values(film.sequence.triggers ?? {}) },
    view,
    begun,
  );
  view.attach(player);
  window.plextanPlayer = player;
  if (location.hash !== "#measured") return;
  player.finish();
  const { from, to } = film.range;
  Object.assign(window, {
    firstPicture: performance.now(),
    finishFrame: () => player.finish(),
    // A second here and a second there, frame by frame as it plays.
    drawFrame: (i: number) =>
      player.drawAt(from + ((i * 23_520_000 + ((i / 30) | 0) * 0.13 * (to - from)) % (to - from))),
  });
}

start().catch((error: unknown) => {
  // Words and pictures are there all the same.
  console.error(error);
  document.documentElement.classList.remove("alive");
  const p = document.createElement("p");
  p.id = "wrong";
  p.setAttribute("role", "status");
  p.textContent =
    "This browser cannot draw the model in 3D (WebGL 2 is missing or switched off). The steps are below, as pictures.";
  document.getElementById("player")?.setAttribute("hidden", "");
  document.querySelector("main")?.prepend(p);
});

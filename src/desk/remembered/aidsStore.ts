import type { Aids } from "../state";

const NAME = "plextan-aids";
const AIDS_DEFAULT: Aids = { path: true, ghosts: false, thirds: false, margins: false, second: "" };

/** The helps on the stage as they were last set in this browser; a second view is not brought back. */
export function lastAids(): Aids {
  try {
    const found = JSON.parse(localStorage.getItem(NAME) ?? "{}") as Partial<Aids>;
    const flag = (name: "path" | "ghosts" | "thirds" | "margins") => (typeof found[name] === "boolean" ? found[name] : AIDS_DEFAULT[name]);
    return { path: flag("path"), ghosts: flag("ghosts"), thirds: flag("thirds"), margins: flag("margins"), second: "" };
  } catch {
    return AIDS_DEFAULT;
  }
}

export function rememberAids(aids: Aids): void {
  try {
    localStorage.setItem(NAME, JSON.stringify(aids));
  } catch {
    // Without storage they hold until the page is left.
  }
}

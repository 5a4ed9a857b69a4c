/** What part of the sequence is seen, and how large: the lane area's left upper corner in px, and px per tick. */
export interface View {
  perTick: number;
  left: number;
  top: number;
  width: number;
  height: number;
}

/** Colours of the timeline; read once from the theme. */
export interface Inks {
  ink: string;
  soft: string;
  hairline: string;
  sheet: string;
  paper: string;
  sunken: string;
  working: string;
  pale: string;
  brick: string;
  camera: string;
  look: string;
}

/** Reads the theme's colours from an element. */
export function inksOf(element: Element): Inks {
  const style = getComputedStyle(element);
  const v = (name: string, usual: string) => style.getPropertyValue(name).trim() || usual;
  return {
    ink: v("--ink", "#1E2A38"),
    soft: v("--ink-soft", "#5b6470"),
    hairline: v("--hairline", "#D9D4C7"),
    sheet: v("--sheet", "#FFFDF8"),
    paper: v("--paper", "#F6F4EE"),
    sunken: v("--sunken", "#EDEAE1"),
    working: v("--working", "#0B6E69"),
    pale: v("--working-pale", "#E3EFEC"),
    brick: v("--brick", "#A63D2F"),
    camera: "#8a6d3b",
    look: v("--mark-ochre", "#d08a12"),
  };
}

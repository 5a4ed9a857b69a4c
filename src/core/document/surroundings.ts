import { z } from "zod";
import { finite, unitShare } from "./parts";

const color = z.string().regex(/^#[0-9A-Fa-f]{6}$/, "must be a colour like #C9CDCB");

/** How a surface looks. Colours are sRGB. */
export const FinishSchema = z.object({
  color,
  roughness: unitShare,
  metalness: unitShare,
  /** 0 is clear, 1 solid. */
  opacity: unitShare,
  emissive: color,
  /** Strength of the light it gives off itself; 0 for none. */
  glow: finite.min(0).max(5),
});
export type Finish = z.infer<typeof FinishSchema>;

export interface LibraryFinish extends Finish {
  id: string;
  name: string;
  family: "Metal" | "Plastic" | "Rubber" | "Glass" | "Paint";
}

const solid = (
  family: LibraryFinish["family"],
  id: string,
  name: string,
  code: string,
  roughness: number,
  metalness: number,
  opacity = 1,
): LibraryFinish => ({
  id,
  name,
  family,
  color: code,
  roughness,
  metalness,
  opacity,
  emissive: "#000000",
  glow: 0,
});

/** The library: a small set that reads well under every lighting set-up. */
export const FINISH_LIBRARY: readonly LibraryFinish[] = [
  solid("Metal", "steel-brushed", "Brushed steel", "#B4B9BD", 0.38, 0.95),
  solid("Metal", "steel-polished", "Polished steel", "#C9CDD0", 0.12, 1),
  solid("Metal", "aluminium", "Aluminium, matt", "#D2D6D9", 0.5, 0.9),
  solid("Metal", "brass", "Brass", "#C59B4E", 0.28, 0.95),
  solid("Metal", "copper", "Copper", "#BE7A55", 0.3, 0.95),
  solid("Metal", "steel-black", "Blackened steel", "#3B3E41", 0.45, 0.8),
  solid("Metal", "zinc", "Zinc plated", "#A9AFB3", 0.42, 0.85),
  solid("Plastic", "plastic-white", "White plastic", "#ECEAE4", 0.42, 0),
  solid("Plastic", "plastic-grey", "Grey plastic", "#8F959A", 0.48, 0),
  solid("Plastic", "plastic-black", "Black plastic", "#2A2D30", 0.5, 0),
  solid("Plastic", "plastic-amber", "Amber plastic", "#D49A2E", 0.4, 0),
  solid("Rubber", "rubber-black", "Black rubber", "#25272A", 0.9, 0),
  solid("Rubber", "rubber-red", "Red seal", "#9C4436", 0.82, 0),
  solid("Glass", "glass-clear", "Clear glass", "#D5E6EA", 0.06, 0, 0.26),
  solid("Glass", "glass-smoke", "Smoked glass", "#54616A", 0.08, 0, 0.42),
  solid("Glass", "acrylic-frost", "Frosted acrylic", "#DDE5E6", 0.6, 0, 0.5),
  solid("Paint", "paint-warm-white", "Warm white paint", "#E4E0D6", 0.55, 0),
  solid("Paint", "paint-slate", "Slate paint", "#4B5A66", 0.52, 0.05),
  solid("Paint", "paint-teal", "Deep teal paint", "#17716C", 0.5, 0.05),
  solid("Paint", "paint-brick", "Brick paint", "#A34A38", 0.52, 0.05),
  solid("Paint", "paint-sun", "Sun yellow paint", "#DDA63A", 0.5, 0.02),
];

export const LIGHT_SETUPS = ["studio", "window", "bench", "evening"] as const;
export type LightSetup = (typeof LIGHT_SETUPS)[number];

/** Light, ground and backdrop of the picture. */
export const SurroundingsSchema = z.object({
  light: z.enum(LIGHT_SETUPS),
  key: z.object({
    /** Strength of the key light; 1 is the set-up's own. */
    strength: finite.min(0).max(4),
    /** Degrees round the up axis, as the camera's azimuth: 0 from the front. */
    azimuth: finite,
    elevation: finite.min(0).max(90),
  }),
  /** Darkening of corners and gaps, 0 for none. */
  occlusion: unitShare,
  /** Soft dark where parts come near the ground, 0 for none. */
  contact: unitShare,
  ground: z.enum(["none", "shadow", "reflection"]),
  background: z.object({ top: color, bottom: color }),
  edges: z.object({ on: z.boolean(), weight: finite.min(0.1).max(4) }),
});
export type Surroundings = z.infer<typeof SurroundingsSchema>;

export const SURROUNDINGS_DEFAULT: Surroundings = {
  light: "studio",
  key: { strength: 1, azimuth: -39, elevation: 53 },
  occlusion: 0,
  contact: 0.35,
  ground: "shadow",
  background: { top: "#F7F5EF", bottom: "#DFDACD" },
  edges: { on: true, weight: 1 },
};

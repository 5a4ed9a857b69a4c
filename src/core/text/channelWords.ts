import type { CameraChannel } from "../document/keys";
import type { Preparation } from "../document/preparation";

/** A camera's numbers, by one name each wherever they are shown or typed. */
export const CAMERA_WORDS: Readonly<Record<Exclude<CameraChannel, `aim.${string}`> | "aim", string>> = {
  aim: "Aim",
  azimuth: "Round",
  elevation: "Above",
  distance: "Away",
  roll: "Roll",
  lens: "Lens",
};

const HEADS: Readonly<Record<string, string>> = {
  ...CAMERA_WORDS,
  slide: "Slide",
  turn: "Turn",
  size: "Size",
  opacity: "Opacity",
  tint: "Tint",
  visible: "Seen",
  look: "Look",
};

/** "Slide X", "Round", "Opacity": the name of a channel that needs no document to be told. */
export function channelWords(channel: string): string {
  const [head = "", tail] = channel.split(".");
  const word = HEADS[head] ?? head.charAt(0).toUpperCase() + head.slice(1);
  return tail ? `${word} ${tail.toUpperCase()}` : word;
}

/** The name of a channel as it is prepared: a joint's own, a look's own, or the words for it. */
export function channelNameIn(preparation: Pick<Preparation, "joints" | "looks">, channel: string): string {
  if (channel.startsWith("joint.")) return preparation.joints[channel.slice(6)]?.name ?? "a joint that is gone";
  if (channel.startsWith("look.")) return `Look ${preparation.looks[channel.slice(5)]?.name ?? channel.slice(5)}`;
  return channelWords(channel);
}

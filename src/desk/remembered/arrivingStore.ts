import { EaseSchema } from "../../core/document/keys";
import { EASE_DEFAULT, type Ease } from "../../core/ease/ease";
import { TICKS_PER_SECOND } from "../../core/time/time";

/** How what is kept next arrives. */
export interface Arriving {
  /** Ticks, or from the arrival before. */
  lead: number | "previous";
  ease: Ease;
}

export const ARRIVING_DEFAULT: Arriving = { lead: 0.9 * TICKS_PER_SECOND, ease: EASE_DEFAULT };

const storageKey = (sequence: string) => `plextan-arriving-${sequence}`;

/** How poses and views were kept last in a sequence; the usual way where none were. Each sequence has its own. */
export function lastArriving(sequence: string): Arriving {
  try {
    const found = JSON.parse(localStorage.getItem(storageKey(sequence)) ?? "{}") as Partial<Arriving>;
    const ease = EaseSchema.safeParse(found.ease);
    const { lead } = found;
    const sound = lead === "previous" || (typeof lead === "number" && Number.isInteger(lead) && lead >= 0);
    return {
      lead: sound ? (lead as Arriving["lead"]) : ARRIVING_DEFAULT.lead,
      ease: ease.data ?? ARRIVING_DEFAULT.ease,
    };
  } catch {
    return ARRIVING_DEFAULT;
  }
}

export function rememberArriving(sequence: string, arriving: Arriving): void {
  try {
    localStorage.setItem(storageKey(sequence), JSON.stringify(arriving));
  } catch {
    // Without storage it holds until the page is left.
  }
}

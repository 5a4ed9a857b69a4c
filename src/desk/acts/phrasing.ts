import type { Desk } from "../port";
import { changeDraft, changeSetting } from "./moveActions";
import { type Phrase, phraseChange, phraseRepeat } from "./phrase";

/**
 * Gives the move that is being made the value and time that were typed with its name. @returns false, with a message,
 * for what cannot be read
 */
export function applyPhrase(desk: Desk, phrase: Phrase): boolean {
  const { draft } = desk.state;
  if (!draft) return false;
  const preparation = desk.state.preparation.body;
  const change = phraseChange(
    phrase,
    draft.move,
    preparation,
    desk.sequence.rate,
    preparation.displayUnit,
    desk.index.assembly.up,
  );
  if ("error" in change) {
    desk.notify("problem", change.error);
    return false;
  }
  for (const [name, value] of Object.entries(change.settings)) {
    const fault = changeSetting(desk, null, name, value);
    if (fault) {
      desk.notify("problem", fault);
      return false;
    }
  }
  const { length } = change;
  if (length !== undefined) changeDraft(desk, (m) => Object.assign(m, { length }));
  const { ease } = phrase;
  if (ease) changeDraft(desk, (m) => Object.assign(m, { ease }));
  return repeatDraft(desk, phrase);
}

/** Lets the move that is being made go on as a phrase says. "And back" is a setting of moves that have one. */
function repeatDraft(desk: Desk, phrase: Phrase): boolean {
  const move = desk.state.draft?.move;
  if (!move) return false;
  const restores = "restore" in move.settings;
  if (phrase.back && restores) changeSetting(desk, null, "restore", true);
  const asked = phraseRepeat(
    { ...phrase, back: phrase.back && !restores },
    move.length,
    move.start,
    desk.sequence.rate,
  );
  if ("error" in asked) {
    desk.notify("problem", asked.error);
    return false;
  }
  const { repeat } = asked;
  if (repeat) changeDraft(desk, (m) => Object.assign(m, { repeat }));
  return true;
}

import type { SequenceCommand } from "../../core/edit/sequenceCommands";
import { problemOf } from "../../core/text/problem";
import type { Desk } from "../port";

/** Edits the sequence with a command that is worked out first; what keeps it from being made is said, too. */
export function attempt(desk: Desk, label: string, make: () => SequenceCommand, merge: string | null = null): boolean {
  let command: SequenceCommand;
  try {
    command = make();
  } catch (error) {
    desk.notify("problem", problemOf(error));
    return false;
  }
  return desk.edit(label, command, merge);
}

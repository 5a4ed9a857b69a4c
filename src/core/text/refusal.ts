import { REFUSALS, type RefusalCode, type RefusalData } from "./refusals";

/**
 * Something that was asked for and cannot be done: nothing is broken and nothing was changed. Its message is for the
 * user; callers branch on `code`. Any other exception is a fault of ours and is never shown as if it were meant.
 */
export class Refusal<C extends RefusalCode = RefusalCode> extends Error {
  override readonly name = "Refusal";
  readonly data: RefusalData<C>;

  constructor(
    readonly code: C,
    ...data: RefusalData<C>
  ) {
    super((REFUSALS[code] as (...about: RefusalData<C>) => string)(...data));
    this.data = data;
  }
}

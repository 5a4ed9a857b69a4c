/** Something that an account, an invitation or a secret does not allow; the message is for the user. */
export class PeopleError extends Error {
  // Told by its name: the framework loads a module once for each route, so one class may be there several times.
  override readonly name = "PeopleError";

  constructor(
    readonly status: 400 | 401 | 403 | 404 | 409 | 410 | 422 | 429,
    message: string,
  ) {
    super(message);
  }
}

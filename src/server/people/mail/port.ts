/** A message to somebody: plain text, as all of ours are. */
export interface Mail {
  to: string;
  subject: string;
  text: string;
}

/** Takes mail to where it is read. */
export interface MailSender {
  /** @throws Error when it was not taken */
  send(workspaceId: string, mail: Mail): Promise<void>;
}

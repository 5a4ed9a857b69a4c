import { database } from "../../database/pool";
import { log } from "../../log";
import { outbox } from "./outbox";
import type { Mail, MailSender } from "./port";
import { smtp } from "./smtp";

/** Whether mail leaves this machine. */
export const mailLeaves = (): boolean => Boolean(process.env.PLEXTAN_SMTP);

const holder = globalThis as { plextanMail?: MailSender };

function sender(): MailSender {
  const server = process.env.PLEXTAN_SMTP;
  holder.plextanMail ??= server
    ? smtp(server, process.env.PLEXTAN_MAIL_FROM ?? "Plextan <plextan@localhost>")
    : outbox(database, process.env.PLEXTAN_OUTBOX);
  return holder.plextanMail;
}

/** Sends mail, after the answer to whoever asked: how long it takes tells them nothing. What fails is logged. */
export function post(workspaceId: string, mail: Mail): void {
  void sender()
    .send(workspaceId, mail)
    .catch((error: unknown) => log().error({ err: error }, "mail"));
}

"use client";
import { Alert, Button, Skeleton } from "antd";
import { when } from "../common/when";
import { House } from "./House";
import { useAnswer } from "./useAnswer";

interface Mail {
  id: number;
  at: string;
  to: string;
  subject: string;
  text: string;
}

/** A mail's text with its links to this installation as links. */
function Linked({ text }: { text: string }) {
  const pieces = text.split(/(https?:\/\/\S+)/);
  return (
    <p className="mail-text">
      {pieces.map((piece, i) =>
        // The pieces of one mail never change places.
        i % 2 === 1 && piece.startsWith(`${location.origin}/`) ? (
          <a key={`${i} ${piece}`} href={piece}>
            {piece}
          </a>
        ) : (
          piece
        ),
      )}
    </p>
  );
}

/** Mail that would be sent if there were a mail server. */
export function Outbox() {
  const { answer, problem, again } = useAnswer<{ mail: Mail[]; mailLeaves: boolean }>("/api/outbox");
  return (
    <House
      title="Outbox"
      lead="Invitations and links for new passwords, where no mail server is set. Owners hand them over."
      problem={problem}
      onAgain={again}
    >
      {!answer && !problem && <Skeleton active />}
      {answer?.mailLeaves && (
        <Alert type="info" title="A mail server is set: mail is sent by it, and what was sent does not lie here." />
      )}
      {answer && answer.mail.length === 0 && !answer.mailLeaves && <div className="empty">No mail yet.</div>}
      {answer && answer.mail.length > 0 && (
        <>
          <div className="row">
            <Button size="small" onClick={again}>
              Look for new mail
            </Button>
          </div>
          <ul className="mails">
            {answer.mail.map((m) => (
              <li key={m.id}>
                <div className="mail-head">
                  <b>{m.subject}</b>
                  <span className="soft number">{when(m.at)}</span>
                </div>
                <div className="soft breakable">to {m.to}</div>
                <Linked text={m.text} />
              </li>
            ))}
          </ul>
        </>
      )}
    </House>
  );
}

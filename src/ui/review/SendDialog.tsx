"use client";
import { Alert, Checkbox, Modal } from "antd";
import { useRef, useState } from "react";
import { ROUND_NOTE_MAX } from "../../core/review/said";
import { problemOf } from "../../core/text/problem";
import { sendForReview } from "../../desk/acts/reviewing";
import { json } from "../../desk/api";
import { roundsOf } from "../../desk/background/roundWatch";
import { GrowingText } from "../common/GrowingText";
import { useDesk } from "../desk/context";
import { FIRST_LINK, LinkFields, LinkShown, linkBody } from "./LinkFields";

/** Sends a round: what to look at, and a link for those who do. */
export function SendDialog({ onDone }: { onDone: () => void }) {
  const desk = useDesk();
  const [before] = useState(roundsOf(desk).own()[0] ?? null);
  const sent = useRef<string | null>(null);
  const [note, setNote] = useState("");
  const [keep, setKeep] = useState(true);
  const [link, setLink] = useState(FIRST_LINK);
  const [wantsLink, setWantsLink] = useState(before === null);
  const [going, setGoing] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const [made, setMade] = useState<{ link: string | null } | null>(null);
  const send = async () => {
    setGoing(true);
    setProblem(null);
    try {
      // A round that is out is not sent twice because its link could not be made.
      const round = sent.current ?? (await sendForReview(desk, note, before !== null && keep));
      sent.current = round;
      const answer = wantsLink
        ? await json<{ link: string }>(`/api/rounds/${round}/links`, { body: linkBody(link) })
        : null;
      setMade({ link: answer?.link ?? null });
    } catch (e) {
      setProblem(sent.current ? `The round is sent, its link could not be made: ${problemOf(e)}` : problemOf(e));
    } finally {
      setGoing(false);
    }
  };
  return (
    <Modal
      open
      title={before ? `Send round ${before.number + 1}` : "Send for review"}
      width={520}
      okText={made ? "Done" : "Send"}
      confirmLoading={going}
      onOk={made ? onDone : () => void send()}
      onCancel={onDone}
      cancelButtonProps={made ? { style: { display: "none" } } : {}}
    >
      {made ? (
        <>
          <p>It is sent as it stands now. What you change from here on comes into the next round.</p>
          {made.link ? <LinkShown link={made.link} /> : <p>Those who have a link see it now.</p>}
        </>
      ) : (
        <>
          <div className="text">
            <label htmlFor="round-note">What to look at</label>
            <GrowingText
              id="round-note"
              autoFocus
              lines={[2, 6]}
              maxLength={ROUND_NOTE_MAX}
              value={note}
              onChange={(e) => setNote(e.target.value)}
            />
          </div>
          {before && (
            <Checkbox checked={keep} onChange={(e) => setKeep(e.target.checked)}>
              Links to round {before.number} lead to this one
            </Checkbox>
          )}
          {before && (
            <Checkbox checked={wantsLink} onChange={(e) => setWantsLink(e.target.checked)}>
              Make another link
            </Checkbox>
          )}
          {wantsLink && <LinkFields value={link} onChange={setLink} />}
          {problem && <Alert type="error" role="alert" title={problem} />}
        </>
      )}
    </Modal>
  );
}

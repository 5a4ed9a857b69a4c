"use client";
import { App, Button, Modal } from "antd";
import { useState } from "react";
import { problemOf } from "../../core/text/problem";
import { json } from "../../desk/api";
import { when } from "../common/when";
import { useAnswer } from "../people/useAnswer";
import { FIRST_LINK, LinkFields, LinkShown, linkBody } from "./LinkFields";

interface Link {
  id: string;
  may: "look" | "comment" | "decide";
  names: string[] | null;
  hasPassword: boolean;
  expires: string | null;
  over: boolean;
  at: string;
}

/** The links to a round: another one, or one withdrawn. */
export function LinksDialog({ round, onDone }: { round: string; onDone: () => void }) {
  const { message } = App.useApp();
  const { answer, problem, again } = useAnswer<{ links: Link[] }>(`/api/rounds/${round}/links`);
  const [wish, setWish] = useState(FIRST_LINK);
  const [made, setMade] = useState<string | null>(null);
  const make = async () => {
    try {
      setMade((await json<{ link: string }>(`/api/rounds/${round}/links`, { body: linkBody(wish) })).link);
    } catch (e) {
      message.error(problemOf(e), 6);
    }
    again();
  };
  const withdraw = async (id: string) => {
    try {
      await json(`/api/links/${id}`, { method: "DELETE" });
      message.info("The link is withdrawn.");
    } catch (e) {
      message.error(problemOf(e), 6);
    }
    again();
  };
  return (
    <Modal open title="Links to this round" width={560} footer={null} onCancel={onDone}>
      {problem && <p className="problem">{problem}</p>}
      {answer?.links.length === 0 && <p className="soft">There is no link yet.</p>}
      <ul className="asides">
        {answer?.links.map((l) => (
          <li key={l.id}>
            <div className="row">
              <span className="grow">
                {l.names?.join(", ") ?? "Anybody who has it"} may {l.may}
                <span className="soft">
                  {" "}
                  · made {when(l.at)}
                  {l.over ? " · has run out" : l.expires ? ` · until ${when(l.expires)}` : ""}
                  {l.hasPassword ? " · with a password" : ""}
                </span>
              </span>
              <Button size="small" danger type="text" onClick={() => void withdraw(l.id)}>
                Withdraw
              </Button>
            </div>
          </li>
        ))}
      </ul>
      <h3 className="aside-title">Another link</h3>
      {made ? (
        <LinkShown link={made} />
      ) : (
        <>
          <LinkFields value={wish} onChange={setWish} />
          <Button type="primary" onClick={() => void make()}>
            Make the link
          </Button>
        </>
      )}
    </Modal>
  );
}

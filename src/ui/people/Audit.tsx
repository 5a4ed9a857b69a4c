"use client";
import { Button, Input, Skeleton, Table } from "antd";
import { useState } from "react";
import { problemOf } from "../../core/text/problem";
import { json } from "../../desk/api";
import { when } from "../common/when";
import { House } from "./House";
import { useAnswer } from "./useAnswer";

interface Line {
  id: number;
  at: string;
  who: string;
  words: string;
  detail: string;
  address: string;
}
/** Lines that one answer brings at most. */
const PAGE = 100;

/** Who did what, when and from where. */
export function Audit() {
  const { answer, problem, again } = useAnswer<{ lines: Line[] }>("/api/audit");
  const [earlier, setEarlier] = useState<Line[]>([]);
  const [fault, setFault] = useState<string | null>(null);
  const [all, setAll] = useState(false);
  const [sought, setSought] = useState("");
  const lines = [...(answer?.lines ?? []), ...earlier];
  const words = sought.toLowerCase();
  const shown = lines.filter((l) => `${l.who} ${l.words} ${l.detail} ${l.address}`.toLowerCase().includes(words));
  const more = async () => {
    try {
      const next = await json<{ lines: Line[] }>(`/api/audit?before=${lines.at(-1)?.id}`);
      setEarlier([...earlier, ...next.lines]);
      setAll(next.lines.length < PAGE);
      setFault(null);
    } catch (e) {
      setFault(problemOf(e));
    }
  };
  return (
    <House
      title="What was done"
      lead="Who signed in, invited, changed or removed whom, and when. Nobody can change this list."
      problem={problem ?? fault}
      onAgain={problem ? again : () => void more()}
    >
      {!answer && !problem && <Skeleton active />}
      {answer && (
        <>
          <Input
            allowClear
            className="audit-search"
            placeholder="Name, deed or address"
            aria-label="Find in the list"
            onChange={(e) => setSought(e.target.value)}
          />
          <Table<Line>
            size="small"
            rowKey="id"
            pagination={false}
            dataSource={shown}
            locale={{ emptyText: lines.length === 0 ? "Nothing was done yet." : "Nothing of that kind is listed." }}
            columns={[
              { title: "When", width: 170, render: (_, l) => <span className="number">{when(l.at)}</span> },
              { title: "Who", render: (_, l) => <span className="breakable">{l.who}</span> },
              {
                title: "What",
                render: (_, l) => (
                  <span className="breakable">
                    {l.words}
                    {l.detail && <span className="soft"> {l.detail}</span>}
                  </span>
                ),
              },
              { title: "From", width: 140, render: (_, l) => <span className="number">{l.address}</span> },
            ]}
          />
          {!all && (answer.lines.length === PAGE || earlier.length > 0) && (
            <div className="row">
              <Button onClick={() => void more()}>Show earlier ones</Button>
            </div>
          )}
        </>
      )}
    </House>
  );
}

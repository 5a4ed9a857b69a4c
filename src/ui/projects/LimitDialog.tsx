"use client";
import { App, Checkbox, Modal, Radio, Skeleton } from "antd";
import { useState } from "react";
import { problemOf } from "../../core/text/problem";
import { json } from "../../desk/api";
import { useAnswer } from "../people/useAnswer";

interface Limits {
  limited: boolean;
  people: string[];
  everybody: { id: string; name: string; email: string | null; role: string }[];
}

/** Who sees a project: everybody of the workspace, or some. */
export function LimitDialog({ project, onDone }: { project: { id: string; name: string }; onDone: () => void }) {
  const { message } = App.useApp();
  const { answer, problem } = useAnswer<Limits>(`/api/projects/${project.id}/people`);
  const [changed, setChanged] = useState<Pick<Limits, "limited" | "people"> | null>(null);
  const now = changed ?? answer;
  const save = async () => {
    if (changed)
      try {
        await json(`/api/projects/${project.id}/people`, {
          method: "PUT",
          body: { limited: changed.limited, people: changed.people },
        });
      } catch (e) {
        message.error(problemOf(e), 6);
        return;
      }
    onDone();
  };
  return (
    <Modal
      open
      title={`Who sees "${project.name}"`}
      okText="Save"
      onOk={() => void save()}
      onCancel={onDone}
      okButtonProps={{ disabled: !now }}
    >
      {problem && <p className="problem">{problem}</p>}
      {!now && !problem && <Skeleton active paragraph={{ rows: 3 }} />}
      {now && answer && (
        <>
          <Radio.Group
            aria-label="Who sees it"
            value={now.limited}
            onChange={(e) => setChanged({ limited: e.target.value as boolean, people: now.people })}
            options={[
              { value: false, label: "Everybody in the workspace" },
              { value: true, label: "Owners, and of the others only:" },
            ]}
            vertical
          />
          <div className="limit-people">
            {answer.everybody
              .filter((p) => p.role !== "owner")
              .map((p) => (
                <Checkbox
                  key={p.id}
                  disabled={!now.limited}
                  checked={!now.limited || now.people.includes(p.id)}
                  onChange={(e) =>
                    setChanged({
                      limited: true,
                      people: e.target.checked ? [...now.people, p.id] : now.people.filter((id) => id !== p.id),
                    })
                  }
                >
                  {p.name}, {p.role} <span className="soft">{p.email}</span>
                </Checkbox>
              ))}
          </div>
        </>
      )}
    </Modal>
  );
}

"use client";
import { Button, Input, Space } from "antd";
import { useState } from "react";
import type { PartTarget } from "../../core/document/parts";
import type { NamedPose } from "../../core/document/preparation";
import { freshId } from "../../core/edit/id";
import { putPose, removePose } from "../../core/edit/preparationCommands";
import { pendNamed, poseNow, sameTarget } from "../../desk/acts/posing";
import { More } from "../common/More";
import { useDesk, useDeskState } from "../desk/context";

/** Poses under a name, such as "open" and "closed": saved from where the thing stands, and put on again. */
export function PoseList({ target }: { target: PartTarget }) {
  const desk = useDesk();
  const poses = useDeskState((s) => s.preparation.body.poses);
  const [name, setName] = useState<string | null>(null);
  const [changing, setChanging] = useState<NamedPose | null>(null);
  const own = Object.values(poses).filter((p) => sameTarget(p.target, target));
  const put = (pose: NamedPose, label: string) => desk.prepare(label, putPose(pose));
  const take = () => {
    const clean = (name ?? "").trim();
    if (!clean) return;
    const done = changing
      ? put({ ...changing, name: clean }, `Rename pose "${changing.name}"`)
      : put({ id: freshId(), name: clean, target, ...poseNow(desk, target) }, `Save pose "${clean}"`);
    if (done || changing?.name === clean) {
      setName(null);
      setChanging(null);
    }
  };
  return (
    <>
      {own.length > 0 && (
        <ul className="plain pose-list" aria-label="Named poses">
          {own.map((p) => (
            <li key={p.id} className="row">
              <Button
                size="small"
                className="grow"
                title="Put it on as a pending pose at the playhead"
                onClick={() => pendNamed(desk, p.id)}
              >
                {p.name}
              </Button>
              <More
                label={`Pose ${p.name}: more`}
                menu={{
                  items: [
                    { key: "update", label: "Make it what is shown now" },
                    { key: "rename", label: "Rename" },
                    { key: "remove", label: "Remove", danger: true },
                  ],
                  onClick: ({ key }) => {
                    if (key === "update")
                      put({ id: p.id, name: p.name, target, ...poseNow(desk, target) }, `Change pose "${p.name}"`);
                    if (key === "remove") desk.prepare(`Remove pose "${p.name}"`, removePose(p.id));
                    if (key === "rename") {
                      setChanging(p);
                      setName(p.name);
                    }
                  },
                }}
              />
            </li>
          ))}
        </ul>
      )}
      {name === null ? (
        <Button size="small" onClick={() => setName("")}>
          Save what is shown as a pose
        </Button>
      ) : (
        <Space.Compact block>
          <Input
            size="small"
            autoFocus
            aria-label="Name of the pose"
            placeholder="such as open"
            maxLength={200}
            value={name}
            onChange={(e) => setName(e.target.value)}
            onPressEnter={take}
            onKeyDown={(e) => {
              if (e.key !== "Escape") return;
              setName(null);
              setChanging(null);
            }}
          />
          <Button size="small" type="primary" disabled={!name.trim()} onClick={take}>
            Save
          </Button>
        </Space.Compact>
      )}
    </>
  );
}

"use client";
import { Button, Dropdown, Tooltip } from "antd";
import { MoveRight, Plus, RotateCw, Torus } from "lucide-react";
import type { ReactNode } from "react";
import type { PartTarget } from "../../core/document/parts";
import { type Joint, jointsOf } from "../../core/document/preparation";
import { freshId } from "../../core/edit/id";
import { putJoint } from "../../core/edit/preparationCommands";
import { hasPitch, JOINT_KIND_NAMES, JOINT_KINDS, type JointKind } from "../../core/kinematics/jointKinds";
import { targetName } from "../../desk/names";
import { inTargetFrame } from "../../desk/selection/pickedFrame";
import { setJoint } from "../../desk/selection/selecting";
import { pick } from "../../desk/showing/picking";
import { useDesk, useDeskState } from "../desk/context";
import { JointEditor } from "./JointEditor";

/** A picture for each kind. */
const ICONS: Readonly<Record<JointKind, ReactNode>> = {
  hinge: <RotateCw size={14} />,
  slide: <MoveRight size={14} />,
  screw: <Torus size={14} />,
};

/** The joints of a part or group: how it may move about or along axes of the model. */
export function JointsTab({ target }: { target: PartTarget }) {
  const desk = useDesk();
  const preparation = useDeskState((s) => s.preparation.body);
  const chosen = useDeskState((s) => s.joint);
  const picking = useDeskState((s) => s.picking);
  const joints = jointsOf(preparation, target);
  const open = joints.find((j) => j.id === chosen) ?? joints[0];
  const add = (kind: Joint["kind"]) =>
    pick(desk, `${JOINT_KINDS[kind].title}: point at its axis (a hole, shaft, edge or face)`, {
      kinds: ["axis", "circle", "edge-middle", "face"],
      needsDirection: true,
      onDone: (picked) => {
        const at = picked && inTargetFrame(desk, target, picked);
        if (!at?.direction) return;
        const id = freshId();
        const taken = new Set(Object.values(desk.state.preparation.body.joints).map((j) => j.name));
        const base = `${targetName(desk, target)} ${kind}`.slice(0, 180);
        let name = base;
        for (let n = 2; taken.has(name); n++) name = `${base} ${n}`;
        const joint: Joint = {
          id,
          name,
          target,
          kind,
          point: at.point,
          direction: at.direction,
          zero: 0,
          flipped: false,
          pitch: hasPitch({ kind }) ? 1 : 0,
          limits: null,
        };
        if (desk.prepare(`${JOINT_KINDS[kind].title} on ${targetName(desk, target)}`, putJoint(joint)))
          setJoint(desk, id);
      },
    });
  return (
    <>
      {joints.length === 0 && (
        <p className="soft">
          A joint lets this move about or along an axis of the model, with a value that counts: 360° is one turn, 720°
          two. Add one and point at its axis.
        </p>
      )}
      {joints.length > 1 && (
        <div className="joint-list" role="listbox" aria-label="Joints">
          {joints.map((j) => (
            <Button
              key={j.id}
              size="small"
              type={j === open ? "primary" : "default"}
              ghost={j === open}
              role="option"
              aria-selected={j === open}
              onClick={() => setJoint(desk, j.id)}
            >
              <span className="ellipsis">{j.name}</span>
            </Button>
          ))}
        </div>
      )}
      {open && <JointEditor key={open.id} joint={open} />}
      <div className="row tight">
        <Dropdown
          trigger={["click"]}
          menu={{
            items: JOINT_KIND_NAMES.map((kind) => ({
              key: kind,
              label: `${JOINT_KINDS[kind].title}: ${JOINT_KINDS[kind].about}`,
              icon: ICONS[kind],
            })),
            onClick: ({ key }) => add(key as Joint["kind"]),
          }}
        >
          <Tooltip title="Then point at its axis on the stage">
            <Button
              size="small"
              type={joints.length === 0 ? "primary" : "default"}
              disabled={picking !== null}
              icon={<Plus size={13} />}
            >
              Add a joint
            </Button>
          </Tooltip>
        </Dropdown>
      </div>
    </>
  );
}

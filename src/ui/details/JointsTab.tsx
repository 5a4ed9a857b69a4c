"use client";
import { Button, Dropdown, Tooltip } from "antd";
import { MoveRight, Plus, RotateCw, Torus } from "lucide-react";
import { type ReactNode, useState } from "react";
import type { PartTarget } from "../../core/document/parts";
import { jointsOf } from "../../core/document/preparation";
import { JOINT_KIND_NAMES, JOINT_KINDS, type JointKind, turns } from "../../core/kinematics/jointKinds";
import {
  addJoint,
  addJointAlong,
  addMirroredJoint,
  addOwnJoint,
  addSameJoint,
  jointsToFollow,
  mirrorAboutFace,
} from "../../desk/acts/joining";
import { inTargetFrame } from "../../desk/selection/pickedFrame";
import { setJoint } from "../../desk/selection/selecting";
import { endPick, pick } from "../../desk/showing/picking";
import { useDesk, useDeskState } from "../desk/context";
import { DirectionField } from "./DirectionField";
import { JointEditor } from "./JointEditor";

/** How many other joints are listed without a menu of their own. */
const FEW = 3;

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
  const [making, setMaking] = useState<JointKind | null>(null);
  const add = (kind: JointKind) => {
    setMaking(kind);
    pick(desk, `${JOINT_KINDS[kind].title}: point at its axis (a hole, shaft, edge or face)`, {
      kinds: ["axis", "circle", "edge-middle", "face"],
      needsDirection: true,
      turns: turns({ kind }),
      onDone: (picked) => {
        setMaking(null);
        const at = picked && inTargetFrame(desk, target, picked);
        if (at?.direction) addJoint(desk, target, kind, { point: at.point, direction: at.direction });
      },
    });
  };
  const others = jointsToFollow(desk, target);
  // A few are listed at once, many behind a word.
  const after = (what: string, label: string) => ({
    key: what,
    label,
    ...(others.length <= FEW ? { type: "group" as const } : { popupClassName: "joint-menu-list" }),
    children: others.map((j) => ({ key: `${what} ${j.id}`, label: j.name })),
  });
  const choose = (key: string) => {
    const [what = "", id = ""] = key.split(" ");
    const of = preparation.joints[id];
    if (what === "own") addOwnJoint(desk, target, id as JointKind);
    else if (what === "as" && of) addSameJoint(desk, target, of);
    else if (what === "mirror" && of) addMirroredJoint(desk, target, of);
    else if (what === "face" && of) mirrorAboutFace(desk, target, of);
    else add(what as JointKind);
  };
  return (
    <>
      {making && (
        <div className="form joint-form">
          <span>or along</span>
          <DirectionField
            ariaLabel="Axis of the new joint"
            frame={target.type === "node" ? "part" : "assembly"}
            value={null}
            onTake={(direction) => {
              endPick(desk);
              addJointAlong(desk, target, making, direction);
            }}
          />
          <span />
          <span className="soft">typed, through its pivot: x, -z or three numbers</span>
        </div>
      )}
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
            items: [
              ...JOINT_KIND_NAMES.map((kind) => ({
                key: kind,
                label: `${JOINT_KINDS[kind].title}: ${JOINT_KINDS[kind].about}`,
                icon: ICONS[kind],
              })),
              { type: "divider" as const },
              ...JOINT_KIND_NAMES.map((kind) => ({
                key: `own ${kind}`,
                label: `${JOINT_KINDS[kind].title} ${turns({ kind }) ? "about" : "along"} its own axis`,
              })),
              ...(others.length > 0
                ? [
                    after("mirror", "Mirror image of"),
                    after("as", "About the same axis as"),
                    after("face", "Mirror image about a face of"),
                  ]
                : []),
            ],
            onClick: ({ key }) => choose(key),
          }}
        >
          <Tooltip title="Point at its axis, type it, or take it from the part or another joint" placement="left">
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

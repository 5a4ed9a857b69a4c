"use client";
import { Button, Select, Tooltip } from "antd";
import { Trash2 } from "lucide-react";
import type { Joint, Link } from "../../core/document/preparation";
import { freshId } from "../../core/edit/id";
import { newLink } from "../../core/edit/newLink";
import { putLink, removeLink } from "../../core/edit/preparationCommands";
import { kindsFor, LINK_KINDS } from "../../core/kinematics/linkKinds";
import type { Desk } from "../../desk/port";
import { select, selectGroup, setJoint } from "../../desk/selection/selecting";
import { useDesk, useDeskState } from "../desk/context";
import { LinkFields } from "./LinkFields";

/** What a joint follows, and what follows it. */
export function LinkEditor({ joint }: { joint: Joint }) {
  const desk = useDesk();
  const preparation = useDeskState((s) => s.preparation.body);
  useDeskState((s) => s.programVersion);
  const link = Object.values(preparation.links).find((l) => l.follower === joint.id);
  const followers = Object.values(preparation.links).filter((l) => l.driver === joint.id);
  const others = Object.values(preparation.joints).filter((j) => j.id !== joint.id);
  return (
    <>
      <h4>Link</h4>
      {link ? (
        <LinkForm key={link.id} link={link} />
      ) : others.length === 0 ? (
        <p className="soft">
          With a second joint somewhere, this one can follow it: gears, a rack, a screw, a cam, a crank and slider, four
          bars.
        </p>
      ) : (
        <div className="form">
          <span>Follows</span>
          <Select
            size="small"
            aria-label="Follows"
            showSearch={{ optionFilterProp: "label" }}
            placeholder="no other joint"
            value={null}
            onChange={(id: string) => {
              const driver = preparation.joints[id];
              const [kind] = driver ? kindsFor(driver, joint) : [];
              if (driver && kind)
                desk.prepare(`Link ${joint.name} to ${driver.name}`, putLink(newLink(kind, freshId(), driver, joint)));
            }}
            options={others.map((j) => ({ value: j.id, label: j.name }))}
          />
        </div>
      )}
      {followers.length > 0 && (
        <p className="soft">
          Drives{" "}
          {followers.map((l, i) => {
            const f = preparation.joints[l.follower];
            return (
              <span key={l.id}>
                {i > 0 ? ", " : ""}
                <Button size="small" type="link" className="inline" onClick={() => f && showJoint(desk, f)}>
                  {f?.name ?? "a joint"}
                </Button>
              </span>
            );
          })}
        </p>
      )}
    </>
  );
}

/** Selects a joint's part with the joint open. */
function showJoint(desk: Desk, joint: Joint): void {
  if (joint.target.type === "group") selectGroup(desk, joint.target.id);
  else {
    const node = desk.index.indexOf.get(joint.target.key);
    if (node === undefined) {
      desk.notify("problem", `The part of "${joint.name}" is not in this revision of the assembly.`);
      return;
    }
    select(desk, [node]);
  }
  setJoint(desk, joint.id);
}

function LinkForm({ link }: { link: Link }) {
  const desk = useDesk();
  const joints = useDeskState((s) => s.preparation.body.joints);
  const driver = joints[link.driver];
  const follower = joints[link.follower];
  if (!driver || !follower) return null;
  const fault = desk.program.linkFaults.get(link.id);
  const put = (part: object) => desk.prepare(`Link of ${follower.name}`, putLink({ ...link, ...part } as Link));
  return (
    <div className="link" data-testid="link-form">
      <div className="row tight">
        <span>
          Driven by{" "}
          <Button size="small" type="link" className="inline" onClick={() => showJoint(desk, driver)}>
            {driver.name}
          </Button>
        </span>
        <div className="grow" />
        <Tooltip title="Remove the link; the joint is free again">
          <Button
            size="small"
            type="text"
            danger
            aria-label="Remove link"
            icon={<Trash2 size={14} />}
            onClick={() => desk.prepare(`Remove link of ${follower.name}`, removeLink(link.id))}
          />
        </Tooltip>
      </div>
      {fault && (
        <p className="problem" role="alert">
          {fault}
        </p>
      )}
      <div className="form">
        <span>By way of</span>
        <Select
          size="small"
          aria-label="Kind of link"
          value={link.kind}
          onChange={(kind: Link["kind"]) =>
            desk.prepare(`Link of ${follower.name}`, putLink(newLink(kind, link.id, driver, follower)))
          }
          options={kindsFor(driver, follower).map((k) => ({ value: k, label: LINK_KINDS[k].title }))}
        />
        <LinkFields link={link} driver={driver} follower={follower} onPut={put} />
      </div>
    </div>
  );
}

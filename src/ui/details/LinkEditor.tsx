"use client";
import { Button, Checkbox, Input, Segmented, Select, Tooltip } from "antd";
import { Crosshair, Trash2 } from "lucide-react";
import { useState } from "react";
import type { PartTarget } from "../../core/document/parts";
import type { Joint, Link } from "../../core/document/preparation";
import { freshId } from "../../core/edit/id";
import { putLink, removeLink } from "../../core/edit/preparationCommands";
import { turns } from "../../core/kinematics/jointKinds";
import { nth } from "../../core/math/packed";
import type { Triple } from "../../core/math/triple";
import { nameOf } from "../../desk/names";
import type { Desk } from "../../desk/port";
import { atHome } from "../../desk/selection/pickedFrame";
import { select, selectGroup, setJoint } from "../../desk/selection/selecting";
import { pick } from "../../desk/showing/picking";
import type { ValueKind } from "../../desk/typing/valueFields";
import { useDesk, useDeskState } from "../desk/context";
import { defaultLink, kindsFor, LINK_WORDS, measureCrankSlider } from "./linkDefaults";
import { ValueField } from "./ValueField";

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
                desk.prepare(
                  `Link ${joint.name} to ${driver.name}`,
                  putLink(defaultLink(kind, freshId(), driver, joint)),
                );
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
  const put = (part: object, merge: string | null = null) =>
    desk.prepare(`Link of ${follower.name}`, putLink({ ...link, ...part } as Link), merge);
  const turning = turns(follower);
  const unitKind: ValueKind = turning ? "angle" : "length";
  const row = (label: string, key: string, kind: ValueKind, suffix?: string, check?: (v: number) => string | null) => (
    <>
      <span>{label}</span>
      <ValueField
        ariaLabel={label}
        kind={kind}
        {...(suffix === undefined ? {} : { suffix })}
        value={Number(Reflect.get(link, key))}
        take={(v) => {
          const refused = check?.(v);
          if (refused) return refused;
          put({ [key]: v });
          return null;
        }}
      />
    </>
  );
  const notZero = (v: number) => (v === 0 ? "May not be 0." : null);
  const positive = (v: number) => (v > 0 ? null : "Must be more than 0.");
  const tooth = (v: number) => (Number.isInteger(v) && v >= 3 ? null : "A whole number, at least 3.");
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
            desk.prepare(`Link of ${follower.name}`, putLink(defaultLink(kind, link.id, driver, follower)))
          }
          options={kindsFor(driver, follower).map((k) => ({ value: k, label: LINK_WORDS[k] }))}
        />
        {link.kind === "ratio" && (
          <>
            {row("Goes", "num", "plain", turning ? "°" : "mm")}
            {row("for each", "den", "plain", turns(driver) ? "°" : "mm", notZero)}
            {row("Offset", "offset", unitKind)}
          </>
        )}
        {link.kind === "gears" && (
          <>
            {row("Teeth of driver", "driverTeeth", "plain", "", tooth)}
            {row("Teeth of this", "followerTeeth", "plain", "", tooth)}
            <span />
            <Checkbox checked={link.internal} onChange={(e) => put({ internal: e.target.checked })}>
              ring gear (turns the same way)
            </Checkbox>
            {row("Offset", "offset", "angle")}
          </>
        )}
        {(link.kind === "rack" || link.kind === "lead") && (
          <>
            {row("Travel a turn", "travel", "length", undefined, notZero)}
            {row("Offset", "offset", "length")}
          </>
        )}
        {link.kind === "cam" && <CamPoints link={link} onPut={put} />}
        {link.kind === "crank-slider" && (
          <>
            {row("Crank radius", "radius", "length", undefined, positive)}
            {row("Rod length", "rodLength", "length", undefined, positive)}
            {row("Offset of line", "offset", "length")}
            {row("Angle at home", "homeAngle", "angle")}
            <span>Slider lies</span>
            <Segmented
              size="small"
              aria-label="Slider lies"
              value={link.branch}
              onChange={(v) => put({ branch: v })}
              options={[
                { value: 1, label: "ahead" },
                { value: -1, label: "behind" },
              ]}
            />
            <span>Rod</span>
            <PieceSelect label="Rod" value={link.rod} onTake={(rod) => put({ rod })} />
            <span />
            <Tooltip title="Point at the pin on the crank, then at the pin on the slider: radius, length, offset and angle are worked out from them">
              <Button
                size="small"
                icon={<Crosshair size={13} />}
                onClick={() => measureCrankSlider(desk, driver, follower, put)}
              >
                Measure from two pins
              </Button>
            </Tooltip>
          </>
        )}
        {link.kind === "four-bar" && (
          <>
            <PinRow label="Pin on driver" value={link.driverPin} onTake={(driverPin) => put({ driverPin })} />
            <PinRow label="Pin on this" value={link.followerPin} onTake={(followerPin) => put({ followerPin })} />
            <span />
            <Checkbox checked={link.crossed} onChange={(e) => put({ crossed: e.target.checked })}>
              crossed bars
            </Checkbox>
            <span>Coupler</span>
            <PieceSelect label="Coupler" value={link.coupler} onTake={(coupler) => put({ coupler })} />
          </>
        )}
      </div>
    </div>
  );
}

/** Which part or group is the piece between the two pins. */
function PieceSelect({
  label,
  value,
  onTake,
}: {
  label: string;
  value: PartTarget | null;
  onTake: (v: PartTarget | null) => void;
}) {
  const desk = useDesk();
  const groups = useDeskState((s) => s.preparation.body.groups);
  const id = (t: PartTarget) => (t.type === "group" ? `g:${t.id}` : `n:${t.key}`);
  return (
    <div className="slider-row">
      <Select
        size="small"
        className="grow"
        aria-label={label}
        allowClear
        placeholder="none"
        showSearch={{ optionFilterProp: "label" }}
        value={value ? id(value) : null}
        onChange={(v: string | undefined) =>
          onTake(
            v === undefined || v === null
              ? null
              : v.startsWith("g:")
                ? { type: "group", id: v.slice(2) }
                : { type: "node", key: v.slice(2) },
          )
        }
        options={[
          ...Object.values(groups).map((g) => ({ value: `g:${g.id}`, label: g.name })),
          ...desk.index.assembly.nodes.map((n, i) => ({ value: `n:${n.key}`, label: nameOf(desk, i) })),
        ]}
      />
      <Tooltip title="Point at it">
        <Button
          size="small"
          aria-label={`Pick ${label.toLowerCase()}`}
          icon={<Crosshair size={13} />}
          onClick={() =>
            pick(desk, `${label}: point at the part`, {
              kinds: ["face", "axis"],
              needsDirection: false,
              onDone: (picked) => {
                const key = picked && desk.index.assembly.nodes[picked.node]?.key;
                if (key) onTake({ type: "node", key });
              },
            })
          }
        />
      </Tooltip>
    </div>
  );
}

function PinRow({ label, value, onTake }: { label: string; value: readonly number[]; onTake: (v: Triple) => void }) {
  const desk = useDesk();
  return (
    <>
      <span>{label}</span>
      <div>
        <div className="triple">
          {["X", "Y", "Z"].map((axis, k) => (
            <ValueField
              key={axis}
              ariaLabel={`${label} ${axis}`}
              kind="length"
              suffix=""
              value={nth(value, k)}
              take={(v) => {
                const next = [...value] as Triple;
                next[k] = v;
                onTake(next);
                return null;
              }}
            />
          ))}
        </div>
        <Button
          size="small"
          icon={<Crosshair size={13} />}
          onClick={() =>
            pick(desk, `${label}: point at the pin or its hole`, {
              kinds: ["axis", "circle"],
              needsDirection: true,
              onDone: (picked) => picked && onTake(atHome(desk, picked).point),
            })
          }
        >
          Pick it
        </Button>
      </div>
    </>
  );
}

/** A cam's curve as lines of text: driver and follower, one pair a line. */
function CamPoints({ link, onPut }: { link: Extract<Link, { kind: "cam" }>; onPut: (part: object) => void }) {
  const own = link.points.map(([a, b]) => `${a}  ${b}`).join("\n");
  const [text, setText] = useState<string | null>(null);
  const [error, setError] = useState<string | null>(null);
  const take = () => {
    if (text === null) return;
    const rows = text.split("\n").filter((l) => l.trim() !== "");
    const points = rows.map((l) =>
      l
        .trim()
        .split(/[\s;]+/)
        .map((v) => Number(v.replace(",", "."))),
    );
    const bad = points.findIndex((p) => p.length !== 2 || p.some((v) => !Number.isFinite(v)));
    const falling = points.findIndex((p, i) => i > 0 && nth(p, 0) <= (points[i - 1]?.[0] as number));
    if (bad >= 0) setError(`Line ${bad + 1} is not two numbers: "${rows[bad]}".`);
    else if (points.length < 2) setError("A cam curve needs at least two points.");
    else if (falling >= 0) setError(`The driver's values must rise; line ${falling + 1} does not.`);
    else {
      setError(null);
      setText(null);
      onPut({ points });
    }
  };
  return (
    <>
      <span>Curve</span>
      <div>
        <Input.TextArea
          aria-label="Cam curve"
          autoSize={{ minRows: 3, maxRows: 8 }}
          className="number"
          value={text ?? own}
          status={error ? "error" : ""}
          onChange={(e) => setText(e.target.value)}
          onBlur={take}
        />
        <span className={error ? "problem" : "soft"}>{error ?? "driver and follower, a pair a line"}</span>
      </div>
      <span>Repeats</span>
      {link.period === null ? (
        <Button size="small" type="dashed" onClick={() => onPut({ period: 360 })}>
          does not
        </Button>
      ) : (
        <div className="slider-row">
          <ValueField
            ariaLabel="Cam period"
            kind="plain"
            suffix="each"
            value={link.period}
            take={(v) => {
              if (!(v > 0)) return "Must be more than 0.";
              onPut({ period: v });
              return null;
            }}
          />
          <Button size="small" type="text" onClick={() => onPut({ period: null })}>
            never
          </Button>
        </div>
      )}
    </>
  );
}

"use client";
import { Button, Dropdown } from "antd";
import { Crosshair } from "lucide-react";
import type { PartTarget } from "../../core/document/parts";
import type { FeatureKind } from "../../core/geometry/features";
import { invertedAffine, transformPoint } from "../../core/math/mat4";
import { nth } from "../../core/math/packed";
import type { Triple } from "../../core/math/triple";
import { changePivot } from "../../desk/acts/changing";
import { inTargetFrame } from "../../desk/selection/pickedFrame";
import { pick } from "../../desk/showing/picking";
import { useDesk, useDeskState } from "../desk/context";
import { ValueField } from "./ValueField";

const PLACES: readonly { key: string; label: string; kinds: readonly FeatureKind[] }[] = [
  { key: "any", label: "Anything under the pointer", kinds: ["corner", "edge-middle", "circle", "face", "axis"] },
  { key: "corner", label: "A corner", kinds: ["corner"] },
  { key: "edge-middle", label: "Middle of an edge", kinds: ["edge-middle"] },
  { key: "face", label: "Middle of a face", kinds: ["face"] },
  { key: "circle", label: "Centre of a circle", kinds: ["circle"] },
  { key: "axis", label: "Centre line of a hole or shaft", kinds: ["axis"] },
];

/**
 * The point a part turns about: typed in its owner's frame, or picked on the model. Setting it never moves the part.
 */
export function PivotEditor({ target }: { target: PartTarget }) {
  const desk = useDesk();
  const own = useDeskState(
    (s) =>
      (target.type === "group"
        ? s.preparation.body.groups[target.id]?.pivot
        : s.preparation.body.nodes[target.key]?.pivot) !== undefined,
  );
  useDeskState((s) => s.programVersion);
  const pivot = desk.program.trackPart(target)?.pivot ?? [0, 0, 0];
  const pickPivot = (place: (typeof PLACES)[number]) =>
    pick(desk, `Pivot: ${place.label.toLowerCase()}`, {
      kinds: place.kinds,
      needsDirection: false,
      onDone: (picked) => {
        const at = picked && inTargetFrame(desk, target, picked);
        if (at) changePivot(desk, target, { at: at.point, in: "part" });
      },
    });
  return (
    <>
      <div className="triple">
        {["X", "Y", "Z"].map((label, k) => (
          <ValueField
            key={label}
            ariaLabel={`Pivot ${label}`}
            label={label}
            kind="length"
            value={nth(pivot, k)}
            take={(v) => {
              const next = [...pivot] as Triple;
              next[k] = v;
              const home =
                target.type === "node"
                  ? desk.index.assembly.nodes[desk.index.indexOf.get(target.key) ?? -1]?.home
                  : undefined;
              changePivot(desk, target, { at: home ? transformPoint(invertedAffine(home), next) : next, in: "part" });
              return null;
            }}
          />
        ))}
      </div>
      <div className="row tight">
        <Dropdown
          trigger={["click"]}
          menu={{
            items: PLACES.map(({ key, label }) => ({ key, label })),
            onClick: ({ key }) =>
              pickPivot(PLACES.find((p) => p.key === key) ?? (PLACES[0] as (typeof PLACES)[number])),
          }}
        >
          <Button size="small" icon={<Crosshair size={13} />}>
            Pick pivot
          </Button>
        </Dropdown>
        <Button size="small" disabled={!own} onClick={() => changePivot(desk, target, null)}>
          Middle of its bounds
        </Button>
      </div>
    </>
  );
}

import type { Joint, Link } from "../../core/document/preparation";
import { crankSliderFrom } from "../../core/kinematics/crankSlider";
import { turns } from "../../core/kinematics/jointKinds";
import { jointAxis } from "../../core/program/jointFrame";
import { problemOf } from "../../core/text/problem";
import type { Desk } from "../../desk/port";
import { atHome } from "../../desk/selection/pickedFrame";
import { pick } from "../../desk/showing/picking";

export const LINK_WORDS: Readonly<Record<Link["kind"], string>> = {
  ratio: "Ratio",
  gears: "Gear pair",
  rack: "Rack and pinion",
  lead: "Screw lead",
  cam: "Cam curve",
  "crank-slider": "Crank and slider",
  "four-bar": "Four bars",
};

/** Kinds of link that can couple two joints. */
export function kindsFor(driver: Pick<Joint, "kind">, follower: Pick<Joint, "kind">): Link["kind"][] {
  if (turns(driver) && turns(follower)) return ["gears", "ratio", "four-bar", "cam"];
  if (turns(driver)) return ["crank-slider", "rack", "lead", "cam", "ratio"];
  return ["ratio", "cam"];
}

/** A link as it begins: to be given its sizes. */
export function defaultLink(kind: Link["kind"], id: string, driver: Joint, follower: Joint): Link {
  const base = {
    id,
    name: `${driver.name} to ${follower.name}`.slice(0, 200),
    driver: driver.id,
    follower: follower.id,
  };
  switch (kind) {
    case "ratio":
      return { ...base, kind, num: 1, den: 1, offset: 0 };
    case "gears":
      return { ...base, kind, driverTeeth: 20, followerTeeth: 20, internal: false, offset: 0 };
    case "rack":
    case "lead":
      return { ...base, kind, travel: kind === "rack" ? 50 : 1, offset: 0 };
    case "cam":
      return {
        ...base,
        kind,
        points: [
          [0, 0],
          [180, 10],
          [360, 0],
        ],
        period: 360,
      };
    case "crank-slider":
      return { ...base, kind, rod: null, radius: 10, rodLength: 40, offset: 0, homeAngle: 0, branch: 1 };
    case "four-bar":
      return { ...base, kind, coupler: null, driverPin: [0, 0, 0], followerPin: [0, 0, 0], crossed: false };
  }
}

/** Asks for the two pins of a rod and works out the sizes of a crank and slider from them. */
export function measureCrankSlider(desk: Desk, driver: Joint, follower: Joint, put: (part: object) => void): void {
  const kinds = ["axis", "circle"] as const;
  pick(desk, "First pin: the one on the crank", {
    kinds,
    needsDirection: true,
    onDone: (pin) => {
      if (!pin) return;
      const first = atHome(desk, pin).point;
      // The second pick begins when the first has ended.
      setTimeout(() =>
        pick(desk, "Second pin: the one on the slider", {
          kinds,
          needsDirection: true,
          onDone: (wrist) => {
            if (!wrist) return;
            try {
              put({
                ...crankSliderFrom(
                  jointAxis(desk.index, driver),
                  jointAxis(desk.index, follower),
                  first,
                  atHome(desk, wrist).point,
                ),
              });
            } catch (error) {
              desk.notify("problem", problemOf(error));
            }
          },
        }),
      );
    },
  });
}

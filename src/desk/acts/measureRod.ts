import type { Joint } from "../../core/document/preparation";
import { crankSliderFrom } from "../../core/kinematics/crankSlider";
import { jointAxis } from "../../core/program/jointFrame";
import { problemOf } from "../../core/text/problem";
import type { Desk } from "../port";
import { atHome } from "../selection/pickedFrame";
import { pick } from "../showing/picking";

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

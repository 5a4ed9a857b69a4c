import { type Joint, type Link, LinkSchema } from "../document/preparation";
import { LINK_KINDS, type LinkKind } from "../kinematics/linkKinds";

/** A link of two joints as it begins: to be given its sizes. */
export const newLink = (kind: LinkKind, id: string, driver: Joint, follower: Joint): Link =>
  LinkSchema.parse({
    id,
    name: `${driver.name} to ${follower.name}`.slice(0, 200),
    driver: driver.id,
    follower: follower.id,
    kind,
    ...LINK_KINDS[kind].start,
  });

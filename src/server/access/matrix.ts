/** What people are in a workspace. */
export const ROLES = ["owner", "animator", "reviewer"] as const;
export type Role = (typeof ROLES)[number];

/** One thing that somebody may do or not, and who may. */
interface Rule {
  /** In words, after "may". */
  what: string;
  roles: readonly Role[];
}

const ALL: readonly Role[] = ROLES;
const MAKERS: readonly Role[] = ["owner", "animator"];
const OWNERS: readonly Role[] = ["owner"];

/**
 * Who may do what: the one list. Every route says which of these it needs, and a test walks all routes with all roles.
 */
export const MATRIX = {
  "projects.list": { what: "see the workspace's projects", roles: ALL },
  "projects.make": { what: "make projects", roles: MAKERS },
  "project.look": { what: "look at a project and take its file", roles: ALL },
  "project.edit": { what: "change a project", roles: MAKERS },
  "project.remove": { what: "remove a project", roles: MAKERS },
  "project.limit": { what: "choose who sees a project", roles: OWNERS },
  "review.look": { what: "look at what is in review", roles: ALL },
  "review.say": { what: "comment and decide", roles: ALL },
  "review.send": { what: "send for review and settle comments", roles: MAKERS },
  "account.own": { what: "see and change one's own account", roles: ALL },
  "people.manage": { what: "invite people, change what they are and remove them", roles: OWNERS },
  "audit.look": { what: "see who did what", roles: OWNERS },
  "outbox.look": { what: "see the mail that was sent", roles: OWNERS },
} as const satisfies Readonly<Record<string, Rule>>;
export type Need = keyof typeof MATRIX;

/** What anybody may ask for, signed in or not. Routes name these too; what they take is judged by secrets. */
export const ANYBODY = {
  health: "learn whether the app is up",
  metrics: "read the figures of a process, with the token that is set for it",
  "sign-in": "sign in and out",
  first: "make the first owner, with the token that the start command printed",
  invitation: "accept an invitation, with its secret",
  review: "come to a round of review, with the secret of its link",
  reset: "ask for a new password, and choose it with the secret that was sent",
} as const;
export type Open = keyof typeof ANYBODY;

/** Whether somebody of a role may do something. */
export const may = (role: Role, need: Need): boolean => (MATRIX[need].roles as readonly Role[]).includes(role);

const NAMES: Record<Role, string> = { owner: "the owner", animator: "an animator", reviewer: "a reviewer" };

/** Why something was refused, for whoever asked. */
export function refusalOf(role: Role, need: Need): string {
  const others = MATRIX[need].roles.map((r) => NAMES[r]).join(" or ");
  return `You are ${NAMES[role]} here and may not ${MATRIX[need].what}. Ask ${others}.`;
}

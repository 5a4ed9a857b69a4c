import type { Role } from "./matrix";

/** Whose view of a workspace a query has: somebody's, or, without a role, that of the app's own work. */
export interface Scope {
  workspaceId: string;
  userId?: string;
  role?: Role;
}

/** As {@link SEEN}, of somebody whom the query itself knows: their workspace, whether they see all, and who they are. */
export const seenIn = (workspace: string, all: string, user: string): string =>
  `(p.workspace_id = ${workspace} AND (p.limited = 0 OR ${all}
  OR EXISTS (SELECT 1 FROM project_people pp WHERE pp.project_id = p.id AND pp.user_id = ${user})))`;

/**
 * Limits a query over `projects p` to what a scope sees: its workspace, and of projects that are limited to some
 * people those where it is one of them. Owners see all. Takes the values of {@link seenBy}.
 */
export const SEEN = seenIn("?", "? = 1", "?");

/** The values for {@link SEEN}, in its order. */
export const seenBy = ({ workspaceId, userId, role }: Scope): [string, number, string] => [
  workspaceId,
  role === undefined || role === "owner" ? 1 : 0,
  userId ?? "",
];

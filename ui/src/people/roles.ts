import type { Schema } from "../api/client";

export type Role = Schema["Member"]["role"];

/** What each role is called, and what it is for, the widest first. */
export const ROLES: { key: Role; name: string; may: string }[] = [
  { key: "owner", name: "Owner", may: "people, house sound, feed and removal, and all that a producer does" },
  { key: "producer", name: "Producer", may: "everything on episodes" },
  { key: "reader", name: "Reader", may: "scripts, and recording them" },
  { key: "listener", name: "Listener", may: "hears episodes, and notes something at a place" },
];

export const roleName = (role: Role | undefined): string => ROLES.find((r) => r.key === role)?.name ?? "";

/** Whether somebody makes the episodes of a show; where there is one person, they do. */
export const makes = (show: Schema["Show"] | undefined): boolean =>
  !show?.role || ["owner", "producer"].includes(show.role);
/** Whether they own it. */
export const owns = (show: Schema["Show"] | undefined): boolean => !show?.role || show.role === "owner";
/** Where an episode of a show is opened by who has a role in it. */
export function wayTo(episode: string, role: Role | undefined): string {
  if (role === "listener") return `/episodes/${episode}/hear`;
  return role === "reader" ? `/episodes/${episode}/read` : `/episodes/${episode}`;
}

import type { Role } from "../../api/client";

/** What each role may do, in a sentence. */
export const whatRolesDo: Record<Role, string> = {
  owner: "everything, people and the network too.",
  member: "everything but people and the network.",
  guest: "reading, and entering what came out at the machine.",
};

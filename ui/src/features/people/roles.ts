import { t } from "@lingui/core/macro";
import type { Role } from "../../api/client";

/** What each role may do, in a sentence. */
export const whatRolesDo: Record<Role, string> = {
  owner: t`everything, people and the network too.`,
  member: t`everything but people and the network.`,
  guest: t`reading, and entering what came out at the machine.`,
};

/** What somebody of a role is. */
export const oneOfRole: Record<Role, string> = { owner: t`An owner`, member: t`A member`, guest: t`A guest` };

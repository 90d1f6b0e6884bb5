import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { accountKeys, useMe } from "../api/account";
import { api, take, type Person, type Role } from "../api/client";
import { useToast } from "../components/Toasts";
import { Invite } from "../features/people/Invite";
import { Journal } from "../features/people/Journal";
import { whatRolesDo } from "../features/people/roles";
import { moment } from "../lib/format";

const ROLES: Role[] = ["owner", "member", "guest"];

/** Who has an account, who is invited, and what was done. For owners. */
export default function PeoplePage() {
  const me = useMe().data;
  const people = useQuery({
    queryKey: accountKeys.people,
    queryFn: async () => take(await api.GET("/api/people")),
    refetchOnMount: "always",
    enabled: me?.role === "owner" && !me.alone,
  });
  useEffect(() => {
    document.title = t`People · Mean Bead`;
  }, []);
  if (me?.alone) return <p className="py-10 text-quiet"><Trans>Nobody has an account here: this machine opens straight in.</Trans></p>;
  if (me?.role !== "owner") return <p className="py-10 text-quiet"><Trans>Owners look after people.</Trans></p>;
  if (people.isLoadingError) return <p className="py-10 text-error">{people.error.message}</p>;
  if (people.data === undefined) return <p className="py-10 text-quiet"><Trans>One moment …</Trans></p>;
  return (
    <div className="py-6">
      <h1 className="font-serif text-3xl"><Trans>People</Trans></h1>
      <p className="text-quiet"><Trans>Names stand at what people change. Whoever leaves takes nothing with them.</Trans></p>
      <div className="mt-4 grid gap-x-10 gap-y-8 lg:grid-cols-[3fr_2fr]">
        <section aria-labelledby="accounts">
          <h2 id="accounts" className="font-serif text-2xl">
            <Trans>Accounts</Trans>
          </h2>
          <ul className="mt-2 divide-y divide-rule border-y border-rule">
            {people.data.people.map((person) => (
              <PersonRow key={person.id} person={person} me={me.name ?? ""} />
            ))}
          </ul>
          <dl className="mt-3 grid grid-cols-[auto_1fr] gap-x-3 text-sm text-quiet">
            {ROLES.map((role) => (
              <div key={role} className="contents">
                <dt className="font-semibold">{role}</dt>
                <dd>{whatRolesDo[role]}</dd>
              </div>
            ))}
          </dl>
        </section>
        <Invite open={people.data.invitations} />
      </div>
      <Journal />
    </div>
  );
}

function PersonRow({ person, me }: { person: Person; me: string }) {
  const queries = useQueryClient();
  const toast = useToast();
  const at = { params: { path: { person_id: person.id } } };
  const act = (work: () => Promise<unknown>, done?: () => void) =>
    void work()
      .then(() => done?.())
      .catch((error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" }))
      .finally(() => {
        void queries.invalidateQueries({ queryKey: accountKeys.people });
        void queries.invalidateQueries({ queryKey: accountKeys.audit });
      });
  const restore = async () => take(await api.POST("/api/people/{person_id}/restore", at));
  return (
    <li className="flex flex-wrap items-center gap-x-4 gap-y-1 py-2">
      <div className="min-w-40 flex-1">
        <p className="font-semibold">
          {person.name}
          {person.name === me && <span className="ml-2 font-normal text-quiet"><Trans>you</Trans></span>}
        </p>
        <p className="text-sm text-quiet">
          {person.devices === 0 ? t`signed in nowhere` : t`${plural(person.devices, { one: "# device", other: "# devices" })}, last ${person.seen_at ? moment(person.seen_at) : ""}`}
        </p>
      </div>
      <select
        className="select select-sm w-28 border-rule"
        aria-label={t`Role of ${person.name}`}
        value={person.role}
        onChange={(event) =>
          act(async () => take(await api.PATCH("/api/people/{person_id}", { ...at, body: { version: person.version, role: event.target.value as Role } })))
        }
      >
        {ROLES.map((role) => (
          <option key={role}>{role}</option>
        ))}
      </select>
      <div className="w-36 text-right">
        {person.devices > (person.name === me ? 1 : 0) && (
          <button type="button" className="btn btn-outline btn-xs font-normal" aria-label={person.name === me ? t`Sign out the others: all other devices of ${person.name}` : t`Sign out all devices of ${person.name}`} onClick={() => act(async () => take(await api.POST("/api/people/{person_id}/sign-out", at)))}>
            {person.name === me ? t`Sign out the others` : t`Sign out`}
          </button>
        )}
      </div>
      <button
        type="button"
        className="btn btn-ghost btn-xs font-normal"
        aria-label={t`Remove ${person.name}`}
        onClick={() =>
          act(
            async () => take(await api.POST("/api/people/{person_id}/delete", { ...at, body: { version: person.version } })),
            () => toast(t`${person.name} cannot sign in any more.`, { action: { label: t`Undo`, run: () => act(restore) } }),
          )
        }
      >
        <Trans>Remove</Trans>
      </button>
    </li>
  );
}

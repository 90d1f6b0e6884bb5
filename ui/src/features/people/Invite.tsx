import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { accountKeys, useMe } from "../../api/account";
import { api, take, type InvitationMade, type Role } from "../../api/client";
import { useToast } from "../../components/Toasts";
import { moment } from "../../lib/format";
import { oneOfRole } from "./roles";

interface Open {
  id: number;
  role: Role;
  made_by: string;
  ends_at: string;
  person_id: number | null;
}

/** Let somebody in: a link, or its code for a phone, that works once and for a day. */
export function Invite({ open }: { open: Open[] }) {
  const queries = useQueryClient();
  const toast = useToast();
  const [whom, setWhom] = useState("member");
  const [made, setMade] = useState<InvitationMade | null>(null);
  const people = useQuery({ queryKey: accountKeys.people, queryFn: async () => take(await api.GET("/api/people")) }).data?.people ?? [];
  const served = useMe().data?.served ?? false;
  const refresh = async () => {
    await queries.invalidateQueries({ queryKey: accountKeys.people });
    await queries.invalidateQueries({ queryKey: accountKeys.audit });
  };
  const invite = useMutation({
    mutationFn: async () => {
      const person = people.find((one) => `person ${one.id}` === whom);
      return take(await api.POST("/api/invitations", { body: person ? { role: person.role, person_id: person.id } : { role: whom as Role } }));
    },
    onSuccess: (invitation) => {
      setMade(invitation);
      return refresh();
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const withdraw = useMutation({
    mutationFn: async (invitation_id: number) => take(await api.POST("/api/invitations/{invitation_id}/withdraw", { params: { path: { invitation_id } } })),
    onSuccess: (now, id) => {
      if (made?.id === id) setMade(null);
      queries.setQueryData(accountKeys.people, now);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  return (
    <section aria-labelledby="invite">
      <h2 id="invite" className="font-serif text-2xl">
        <Trans>Invite</Trans>
      </h2>
      <div className="mt-2 flex flex-wrap gap-2">
        <select className="select select-sm w-56 border-rule" aria-label={t`Whom to invite`} value={whom} onChange={(event) => setWhom(event.target.value)}>
          <option value="member">{t`a member`}</option>
          <option value="guest">{t`a guest at the machine`}</option>
          <option value="owner">{t`another owner`}</option>
          <optgroup label={t`A new passphrase for`}>
            {people.map((one) => (
              <option key={one.id} value={`person ${one.id}`}>
                {one.name}
              </option>
            ))}
          </optgroup>
        </select>
        <button type="button" className="btn btn-accent btn-sm" onClick={() => invite.mutate()} disabled={invite.isPending}>
          <Trans>Make a link</Trans>
        </button>
      </div>
      {!served && (
        <p className="mt-2 text-sm text-quiet">
          <Trans>The network is not served just now, so a link works on this machine only. Start the workshop with ./start --network.</Trans>
        </p>
      )}
      {made && (
        <div className="mt-3 rounded-box border border-rule p-3">
          <img src={made.qr} alt={t`The link as a QR code`} className="mx-auto w-44 bg-white" />
          <p className="mt-2 break-all rounded-field bg-base-200 p-2 font-mono text-xs">{made.url}</p>
          <button
            type="button"
            className="btn btn-outline btn-xs mt-2 font-normal"
            onClick={() =>
              void navigator.clipboard.writeText(made.url).then(
                () => toast(t`The link is copied.`),
                () => toast(t`The browser does not allow copying. Mark the link and copy it.`, { tone: "error" }),
              )
            }
          >
            <Trans>Copy the link</Trans>
          </button>
          <p className="mt-2 text-sm text-quiet">
            <Trans>Works once, until {moment(made.ends_at)}. It is shown only now: give it to the person themselves.</Trans>
          </p>
        </div>
      )}
      {open.length > 0 && (
        <ul className="mt-3 divide-y divide-rule border-y border-rule text-sm">
          {open.map((one) => (
            <li key={one.id} className="flex items-center justify-between gap-3 py-1.5">
              <span>
                {one.person_id === null ? oneOfRole[one.role] : t`A new passphrase for ${people.find((person) => person.id === one.person_id)?.name ?? t`somebody`}`}
                <span className="text-quiet"><Trans>, open until {moment(one.ends_at)}</Trans></span>
              </span>
              <button type="button" className="btn btn-ghost btn-xs font-normal" onClick={() => withdraw.mutate(one.id)}>
                <Trans>Take back</Trans>
              </button>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

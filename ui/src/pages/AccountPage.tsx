import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { accountKeys, tookMe, useMe } from "../api/account";
import { api, ProblemError, take } from "../api/client";
import { useToast } from "../components/Toasts";
import { Field } from "../features/people/AccountForm";
import { whatRolesDo } from "../features/people/roles";
import { moment } from "../lib/format";

/** One's own account: where one is signed in, and the passphrase. */
export default function AccountPage() {
  const me = useMe().data;
  useEffect(() => {
    document.title = t`Account · Mean Bead`;
  }, []);
  if (me === undefined) return <p className="py-10 text-quiet"><Trans>One moment …</Trans></p>;
  if (me.alone || me.role == null) return <p className="py-10 text-quiet"><Trans>Nobody has an account here: this machine opens straight in.</Trans></p>;
  return (
    <div className="max-w-3xl py-6">
      <h1 className="font-serif text-3xl">{me.name}</h1>
      <p className="text-quiet">
        {me.role[0]?.toUpperCase()}
        {me.role.slice(1)}: {whatRolesDo[me.role]}
      </p>
      <Devices />
      <NewPassphrase />
    </div>
  );
}

function Devices() {
  const queries = useQueryClient();
  const toast = useToast();
  const devices = useQuery({ queryKey: accountKeys.devices, queryFn: async () => take(await api.GET("/api/devices")).devices, refetchOnMount: "always" });
  const end = useMutation({
    mutationFn: async (number: number | null) =>
      take(
        number === null
          ? await api.POST("/api/devices/sign-out")
          : await api.POST("/api/devices/{number}/sign-out", { params: { path: { number } } }),
      ).devices,
    onSuccess: (left) => queries.setQueryData(accountKeys.devices, left),
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const all = devices.data ?? [];
  return (
    <section aria-labelledby="devices" className="mt-6">
      <h2 id="devices" className="font-serif text-2xl">
        <Trans>Devices</Trans>
      </h2>
      <ul className="mt-2 divide-y divide-rule border-y border-rule">
        {all.map((one) => (
          <li key={one.number} className="flex flex-wrap items-center justify-between gap-x-4 gap-y-1 py-2">
            <div>
              <p>
                {one.device}
                {one.this_one && <strong className="ml-2 font-semibold"><Trans>this one</Trans></strong>}
              </p>
              <p className="text-sm text-quiet">
                <Trans>{one.address}, last used {moment(one.seen_at)}, {one.remembered ? t`remembered` : t`until the browser closes`}</Trans>
              </p>
            </div>
            {!one.this_one && (
              <button type="button" className="btn btn-outline btn-xs font-normal" aria-label={t`Sign out ${one.device}`} onClick={() => end.mutate(one.number)}>
                <Trans>Sign out</Trans>
              </button>
            )}
          </li>
        ))}
      </ul>
      {all.length > 1 && (
        <button type="button" className="btn btn-outline btn-sm mt-3 font-normal" onClick={() => end.mutate(null)}>
          <Trans>Sign out all but this one</Trans>
        </button>
      )}
    </section>
  );
}

function NewPassphrase() {
  const queries = useQueryClient();
  const toast = useToast();
  const [old, setOld] = useState("");
  const [fresh, setFresh] = useState("");
  const change = useMutation({
    mutationFn: async () => take(await api.POST("/api/passphrase", { body: { old, new: fresh } })),
    onSuccess: async (me) => {
      tookMe(queries, me);
      setOld("");
      setFresh("");
      toast(t`Your passphrase is changed. Your other devices were signed out.`);
      await queries.invalidateQueries({ queryKey: accountKeys.devices });
    },
  });
  const problem = change.error instanceof ProblemError ? change.error : null;
  const wrong = problem?.about("old");
  const weak = problem?.about("passphrase");
  return (
    <section aria-labelledby="passphrase" className="mt-8">
      <h2 id="passphrase" className="font-serif text-2xl">
        <Trans>Passphrase</Trans>
      </h2>
      <form
        className="mt-2 max-w-md space-y-3"
        onSubmit={(event) => {
          event.preventDefault();
          change.mutate();
        }}
      >
        <Field label={t`The one you have`} problem={wrong ?? (change.error && !weak ? change.error.message : undefined)}>
          {(id, told) => <input id={id} aria-describedby={told} type="password" autoComplete="current-password" required className="input w-full border-rule" value={old} onChange={(event) => setOld(event.target.value)} />}
        </Field>
        <Field label={t`A new one`} problem={weak} hint={t`Four or five words that have nothing to do with each other. At least twelve letters.`}>
          {(id, told) => <input id={id} aria-describedby={told} type="password" autoComplete="new-password" required maxLength={200} className="input w-full border-rule" value={fresh} onChange={(event) => setFresh(event.target.value)} />}
        </Field>
        <button type="submit" className="btn btn-outline btn-sm" disabled={change.isPending}>
          <Trans>Change it</Trans>
        </button>
      </form>
    </section>
  );
}

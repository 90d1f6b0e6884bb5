import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useId, useState, type ReactNode } from "react";
import { tookMe } from "../../api/account";
import { ProblemError, type Me } from "../../api/client";

export interface Given {
  name: string;
  passphrase: string;
  remember: boolean;
}

interface AccountFormProps {
  /** A name that cannot be changed here; left out, it is asked for. */
  fixedName?: string | null;
  /** Whether a new passphrase is chosen, or a known one given. */
  fresh?: boolean;
  /** Whether to ask how long this device is to stay signed in. */
  asksToRemember?: boolean;
  button: string;
  send: (given: Given) => Promise<Me>;
  onDone?: () => void;
  children?: ReactNode;
}

/** Name, passphrase, and whether this device is to be remembered. */
export function AccountForm({ fixedName, fresh = false, asksToRemember = true, button, send, onDone, children }: AccountFormProps) {
  const queries = useQueryClient();
  const [name, setName] = useState(fixedName ?? "");
  const [passphrase, setPassphrase] = useState("");
  const [shown, setShown] = useState(false);
  const [remember, setRemember] = useState(false);
  const go = useMutation({
    mutationFn: () => send({ name: fixedName ?? name, passphrase, remember }),
    onSuccess: (me) => {
      queries.removeQueries({ predicate: (query) => query.queryKey[0] !== "me" });
      tookMe(queries, me);
      onDone?.();
    },
  });
  const problem = go.error instanceof ProblemError ? go.error : null;
  const about = { name: problem?.about("name"), passphrase: problem?.about("passphrase") };
  const elsewhere = go.error && !about.name && !about.passphrase ? go.error.message : undefined;
  return (
    <form
      className="mt-5 space-y-4"
      onSubmit={(event) => {
        event.preventDefault();
        if (!go.isPending) go.mutate();
      }}
    >
      {fixedName == null ? (
        <Field label={t`Name`} problem={about.name}>
          {(id, told) => (
            <input id={id} aria-describedby={told} className="input w-full border-rule" autoComplete="username" autoCapitalize="none" required maxLength={60} value={name} onChange={(event) => setName(event.target.value)} />
          )}
        </Field>
      ) : (
        <input type="hidden" autoComplete="username" value={fixedName} readOnly />
      )}
      <Field label={t`Passphrase`} problem={about.passphrase} hint={fresh ? t`Four or five words that have nothing to do with each other. At least twelve letters.` : undefined}>
        {(id, told) => (
          <div className="join w-full">
            <input id={id} aria-describedby={told} className="input join-item w-full border-rule" type={shown ? "text" : "password"} autoComplete={fresh ? "new-password" : "current-password"} required maxLength={200} value={passphrase} onChange={(event) => setPassphrase(event.target.value)} />
            <button type="button" className="btn join-item border-rule font-normal" aria-pressed={shown} onClick={() => setShown(!shown)}>
              {shown ? t`Hide` : t`Show`}
            </button>
          </div>
        )}
      </Field>
      {asksToRemember && (
        <label className="flex items-start gap-2 text-sm">
          <input type="checkbox" className="checkbox checkbox-sm mt-0.5" checked={remember} onChange={(event) => setRemember(event.target.checked)} />
          <span>
            <Trans>
              Remember this device for 60 days
              <span className="block text-quiet">Only where nobody else uses it. You can sign it out from any other one.</span>
            </Trans>
          </span>
        </label>
      )}
      {children}
      {elsewhere && (
        <p role="alert" className="text-error">
          {elsewhere}
        </p>
      )}
      <button type="submit" className="btn btn-accent w-full" disabled={go.isPending}>
        {go.isPending ? t`One moment …` : button}
      </button>
    </form>
  );
}

interface FieldProps {
  label: string;
  problem?: string;
  hint?: string;
  children: (id: string, told: string | undefined) => ReactNode;
}

/** A labelled field, with what is wrong with it beside it. */
export function Field({ label, problem, hint, children }: FieldProps) {
  const id = useId();
  const told = problem || hint ? `${id}-told` : undefined;
  return (
    <div>
      <label htmlFor={id} className="mb-1 block text-sm font-medium">
        {label}
      </label>
      {children(id, told)}
      {problem ? (
        <p id={told} role="alert" className="mt-1 text-sm text-error">
          {problem}
        </p>
      ) : (
        hint && (
          <p id={told} className="mt-1 text-sm text-quiet">
            {hint}
          </p>
        )
      )}
    </div>
  );
}

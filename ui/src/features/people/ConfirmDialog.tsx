import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { tookMe } from "../../api/account";
import { api, ProblemError, take } from "../../api/client";
import { keepGate } from "../../lib/gate";
import { Field } from "./AccountForm";

/** The passphrase once more, where what is to be done matters: whoever finds an open page must not be able to. */
export function ConfirmDialog() {
  const queries = useQueryClient();
  const dialog = useRef<HTMLDialogElement>(null);
  const answer = useRef<(given: boolean) => void>(() => undefined);
  const [asked, setAsked] = useState(false);
  const [passphrase, setPassphrase] = useState("");
  const [problem, setProblem] = useState("");
  useEffect(() => {
    keepGate({
      confirm: () =>
        new Promise((resolve) => {
          answer.current = resolve;
          setPassphrase("");
          setProblem("");
          setAsked(true);
        }),
    });
    return () => keepGate({ confirm: () => Promise.resolve(false) });
  }, []);
  useEffect(() => {
    if (asked) dialog.current?.showModal();
  }, [asked]);
  const close = (given: boolean) => {
    answer.current(given);
    setAsked(false);
  };
  const send = async () => {
    try {
      tookMe(queries, take(await api.POST("/api/confirm", { body: { passphrase } })));
      close(true);
    } catch (error) {
      setProblem(error instanceof ProblemError ? (error.about("passphrase") ?? error.message) : t`It could not be sent.`);
    }
  };
  if (!asked) return null;
  return (
    <dialog ref={dialog} className="modal" aria-labelledby="confirm-title" onCancel={() => close(false)}>
      <form
        className="modal-box max-w-sm rounded-box border border-rule"
        onSubmit={(event) => {
          event.preventDefault();
          void send();
        }}
      >
        <h2 id="confirm-title" className="font-serif text-2xl">
          <Trans>Your passphrase once more</Trans>
        </h2>
        <p className="mb-3 mt-1 text-sm text-quiet"><Trans>This matters: it is asked for every ten minutes.</Trans></p>
        <Field label={t`Passphrase`} problem={problem || undefined}>
          {(id, told) => (
            <input id={id} aria-describedby={told} type="password" autoComplete="current-password" className="input w-full border-rule" value={passphrase} onChange={(event) => setPassphrase(event.target.value)} required />
          )}
        </Field>
        <div className="modal-action">
          <button type="button" className="btn btn-ghost btn-sm" onClick={() => close(false)}>
            <Trans>Leave it</Trans>
          </button>
          <button type="submit" className="btn btn-accent btn-sm">
            <Trans>Go on</Trans>
          </button>
        </div>
      </form>
    </dialog>
  );
}

import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { Link } from "react-router";
import { useMe, useSignOut } from "../../api/account";
import type { Me } from "../../api/client";
import { useToast } from "../../components/Toasts";
import { personName, setPersonName } from "../../lib/person";

/** Whose changes these are: a free name for one person alone, an account otherwise. */
export function PersonMenu() {
  const me = useMe().data;
  if (me === undefined) return null;
  return me.alone ? <FreeName /> : <Account me={me} />;
}

/** The histories of recipes show it. */
function FreeName() {
  const [name, setName] = useState(personName);
  return (
    <>
      <label className="hidden items-center gap-2 text-sm text-quiet md:flex">
        <Trans>You</Trans>
        <input
          className="input input-xs w-24 border-rule bg-base-100 text-base-content"
          value={name}
          placeholder={t`your name`}
          maxLength={60}
          title={t`Histories say who changed a recipe`}
          onChange={(event) => {
            setName(event.target.value);
            setPersonName(event.target.value);
          }}
        />
      </label>
      <Link to="/network" className="inline-block min-h-7 px-1 py-1 text-sm text-quiet hover:underline" title={t`Serve phones and other people`}>
        <Trans>Network</Trans>
      </Link>
      <Link to="/backups" className="hidden min-h-7 px-1 py-1 text-sm text-quiet hover:underline sm:inline-block" title={t`The whole workshop in one file`}>
        <Trans>Backups</Trans>
      </Link>
    </>
  );
}

function Account({ me }: { me: Me }) {
  const signOut = useSignOut();
  const toast = useToast();
  const close = (event: React.SyntheticEvent<HTMLElement>) => event.currentTarget.closest("details")?.removeAttribute("open");
  return (
    <details
      className="dropdown dropdown-end"
      onBlur={(event) => {
        if (!event.currentTarget.contains(event.relatedTarget)) event.currentTarget.removeAttribute("open");
      }}
      onKeyDown={(event) => {
        if (event.key === "Escape") close(event);
      }}
    >
      <summary className="btn btn-ghost btn-xs text-sm font-normal" aria-label={t`Account of ${me.name ?? ""}, ${me.role ?? ""}`}>
        {me.name}
        <span aria-hidden="true">▾</span>
        {me.role === "guest" && <span className="text-quiet"><Trans>guest</Trans></span>}
      </summary>
      <ul className="menu dropdown-content z-40 mt-1 w-56 rounded-box border border-rule bg-base-100 p-1 shadow-lg" onClick={close}>
        <li>
          <Link to="/account"><Trans>Devices and passphrase</Trans></Link>
        </li>
        {me.role === "owner" && (
          <li>
            <Link to="/people"><Trans>People</Trans></Link>
          </li>
        )}
        {me.role === "owner" && (
          <li>
            <Link to="/backups"><Trans>Backups</Trans></Link>
          </li>
        )}
        <li>
          <Link to="/network"><Trans>Network and phones</Trans></Link>
        </li>
        <li>
          <button type="button" onClick={() => void signOut().catch((error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" }))}>
            <Trans>Sign out</Trans>
          </button>
        </li>
      </ul>
    </details>
  );
}

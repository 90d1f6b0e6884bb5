import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect } from "react";
import { Link } from "react-router";
import { useFaults } from "../api/runs";
import { LogTabs } from "../features/log/LogTabs";
import { FaultMark } from "../features/run/FaultMark";

/** What can be seen on prints: drawn, in words, and what each is mistaken for. */
export default function FaultsPage() {
  const faults = useFaults();
  useEffect(() => {
    document.title = t`Faults · Mean Bead`;
  }, []);
  const names = new Map(faults.data?.map((fault) => [fault.key, fault.name]));
  return (
    <div className="py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl"><Trans>Faults</Trans></h1>
        <LogTabs />
      </div>
      <p className="mt-1 max-w-3xl text-quiet"><Trans>What prints show when something is wrong. Tag a run with what you see, and its page leads to one cause at a time.</Trans></p>
      {faults.isLoadingError && <p className="mt-3 text-error">{faults.error.message}</p>}
      <ul className="mt-4 grid gap-x-8 md:grid-cols-2 xl:grid-cols-3">
        {faults.data?.map((fault) => (
          <li key={fault.key} id={fault.key} className="flex gap-3 border-t border-rule py-3">
            <FaultMark fault={fault.key} size={64} />
            <div>
              <h2 className="font-serif text-xl leading-tight">{fault.name}</h2>
              <p>{fault.looks}</p>
              {fault.mistaken.map((other) => (
                <p key={other.fault} className="text-sm text-quiet">
                  <Trans>Or <a className="underline" href={`#${other.fault}`}>{(names.get(other.fault) ?? other.fault).toLowerCase()}</a>? {other.tell}</Trans>
                </p>
              ))}
              <p className="mt-1 text-sm"><Trans>Look first: {fault.first.join(" ")}</Trans></p>
              {fault.caution && <p className="mt-1 border-l-4 border-warning pl-2 text-sm">{fault.caution}</p>}
              <Link className="text-sm underline" to={`/log?fault=${fault.key}`}>
                <Trans>Runs with it</Trans>
              </Link>
            </div>
          </li>
        ))}
      </ul>
    </div>
  );
}

import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect } from "react";
import { Link, useParams } from "react-router";
import type { Chain } from "../api/client";
import { useChain, useFaults } from "../api/runs";
import { Differences } from "../features/log/Differences";
import { Outcome } from "../features/log/RunList";
import { FaultMark } from "../features/run/FaultMark";
import { formatDuration, moment } from "../lib/format";

/** A chain of tries: what was changed from one run to the next, and what it did. */
export default function ChainPage() {
  const runId = Number(useParams().runId);
  const chain = useChain(runId);
  useEffect(() => {
    document.title = t`Chain of tries · Mean Bead`;
  }, []);
  if (chain.isLoadingError) return <p className="py-10 text-error">{chain.error.message}</p>;
  if (chain.data === undefined) return <p className="py-10 text-quiet"><Trans>Following the chain …</Trans></p>;
  const first = chain.data.links[0]?.run;
  return (
    <div className="max-w-4xl py-5">
      <p className="text-sm">
        <Link className="underline" to={`/log/${runId}`}>
          #{runId}
        </Link>
      </p>
      <h1 className="font-serif text-3xl"><Trans>{first?.name}: one thing at a time</Trans></h1>
      <p className="mt-1 text-lg">{chain.data.says}</p>
      <ol className="mt-4">
        {chain.data.links.map((link, at) => (
          <TryLink key={link.run.id} link={link} here={link.run.id === runId} first={at === 0} last={at === chain.data.links.length - 1} />
        ))}
      </ol>
    </div>
  );
}

const TELLS = { cure: ["✓", "text-success"], no_cure: ["✗", "text-error"], nothing: ["?", "text-warning"], open: ["…", "text-quiet"] } as const;

interface TryLinkProps {
  link: Chain["links"][number];
  here: boolean;
  first: boolean;
  last: boolean;
}

function TryLink({ link, here, first, last }: TryLinkProps) {
  const names = new Map((useFaults().data ?? []).map((fault) => [fault.key, fault.name]));
  const { run, proof } = link;
  const tells = proof ? TELLS[proof.tells] : null;
  return (
    <li className="relative pb-5 pl-10">
      {!(first && last) && <span aria-hidden="true" className={`absolute left-[11px] border-l-2 border-rule ${first ? "top-3" : "top-0"} ${last ? "bottom-20" : "bottom-0"}`} />}
      {proof && (
        <div className="pb-3">
          <p className="text-sm text-quiet"><Trans>Changed{link.tries && t`, to try: ${link.tries.toLowerCase()}`}</Trans></p>
          <Differences changed={link.changed} journal={link.journal} />
          <p className="mt-1">
            {tells && (
              <span aria-hidden="true" className={`mr-2 font-semibold ${tells[1]}`}>
                {tells[0]}
              </span>
            )}
            {proof.says}
          </p>
        </div>
      )}
      <div className={`relative rounded-box border p-3 ${here ? "border-molten" : "border-rule"}`}>
        <span aria-hidden="true" className="absolute -left-[35px] top-3 h-3.5 w-3.5 rounded-full border-2 border-molten bg-base-100" />
        <p className="flex flex-wrap items-baseline gap-x-3">
          <Link className="font-semibold underline" to={`/log/${run.id}`}>
            #{run.id}
          </Link>
          <span>{run.column_name}</span>
          <span className="text-sm text-quiet">
            {moment(run.started_at)} · {run.machine_name}
            {run.real_s != null && ` · ${formatDuration(run.real_s)}`}
          </span>
          <span className="ml-auto">
            <Outcome state={run.state} />
          </span>
        </p>
        <p className="mt-1 flex flex-wrap gap-x-4">
          {run.faults.map((fault) => (
            <span key={fault} className="inline-flex items-center gap-1">
              <FaultMark fault={fault} size={28} />
              {names.get(fault) ?? fault}
            </span>
          ))}
          {run.faults.length === 0 && run.state !== "running" && <span className="text-quiet"><Trans>no fault</Trans></span>}
        </p>
        {last && run.faults.length > 0 && (
          <Link className="btn btn-accent btn-sm mt-2 font-normal" to={`/log/${run.id}/causes`}>
            <Trans>What to try next</Trans>
          </Link>
        )}
      </div>
    </li>
  );
}

import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "react-router";
import { useExperiments } from "../../api/learning";

/** What experiments of this workshop have decided, where somebody wanted that among the rules. */
export function Decided() {
  const decided = (useExperiments().data ?? []).filter((one) => one.kept?.among_rules);
  if (decided.length === 0) return null;
  return (
    <section aria-labelledby="decided" className="mt-5">
      <h2 id="decided" className="font-serif text-2xl">
        <Trans>Decided by experiment</Trans>
      </h2>
      <ul className="mt-1 max-w-3xl divide-y divide-rule border-y border-rule text-sm">
        {decided.map((one) => (
          <li key={one.id} className="py-1.5">
            <span className="font-serif text-base">{one.kept?.sentence}</span>{" "}
            <Link className="whitespace-nowrap text-quiet underline" to={`/log/experiments/${one.id}`}>
              {one.name}
            </Link>
            {one.kept?.at && <span className="text-quiet">, {new Date(one.kept.at).toLocaleDateString()}{one.kept.who && t` by ${one.kept.who}`}</span>}
          </li>
        ))}
      </ul>
    </section>
  );
}

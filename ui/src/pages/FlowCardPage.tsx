import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect } from "react";
import { Link, useParams } from "react-router";
import { Cautions } from "../features/flow/Cautions";
import { StrandMark } from "../features/flow/StrandMark";
import { STRANDS } from "../features/flow/strands";
import { useFlowTest } from "../features/flow/useFlowTest";
import { fixed, plain } from "../lib/format";

/** A card to run the test by hand from, with room to write. */
export default function FlowCardPage() {
  const id = Number(useParams().testId);
  const test = useFlowTest(id);
  useEffect(() => {
    document.title = t`Flow test card · Mean Bead`;
  }, []);
  if (test.isLoadingError) return <p className="py-6 text-error">{test.error.message}</p>;
  const plan = test.data?.plan;
  if (!test.data) return <p className="py-10 text-quiet"><Trans>Fetching the card …</Trans></p>;
  if (!plan) return <p className="py-6 text-error">{test.data.plan_problem}</p>;
  return (
    <div className="py-5 print:py-0">
      <p className="flex gap-4 text-sm print:hidden">
        <Link className="underline" to={`/flow/${id}`}>
          <Trans>Back to the test</Trans>
        </Link>
        <button type="button" className="btn btn-primary btn-xs font-normal" onClick={() => window.print()}>
          <Trans>Print it</Trans>
        </button>
      </p>
      <h1 className="mt-1 font-serif text-2xl">{test.data.name}</h1>
      <p>
        <Trans>{test.data.machine_name}, {test.data.nozzle_name}, {test.data.material_name}. Fan {plan.fan > 0 ? t`at ${Math.round(100 * plan.fan)} %` : t`off`}. Settle {plain(plan.steps[0]?.settle_mm ?? 0)} mm at each new speed and cut that off; then feed the length, cut, lay it beside its number.</Trans>
      </p>
      <div className="overflow-x-auto" tabIndex={0} role="region" aria-label={t`Strands to run`}>
      <table className="mt-2 w-full border-collapse text-sm tabular-nums [&_td]:border [&_td]:border-rule [&_td]:px-2 [&_td]:py-1.5 [&_th]:border [&_th]:border-rule [&_th]:px-2 [&_th]:font-normal">
        <thead className="text-left">
          <tr>
            <th><Trans>No.</Trans></th>
            <th>°C</th>
            <th>mm³/s</th>
            <th><Trans>filament, mm/s</Trans></th>
            <th><Trans>feed rate, mm/min</Trans></th>
            <th><Trans>length, mm</Trans></th>
            <th><Trans>should weigh, g</Trans></th>
            <th className="w-28"><Trans>weighs, g</Trans></th>
            <th className="w-20"><Trans>°C held</Trans></th>
            <th className="w-20"><Trans>looks</Trans></th>
          </tr>
        </thead>
        <tbody>
          {plan.steps.map((step, at) => (
            <tr key={`${step.temp_c} ${step.flow_mm3_s}`}>
              <td>{at + 1}</td>
              <td>{plain(step.temp_c)}</td>
              <td className="font-semibold">{fixed(step.flow_mm3_s, 1)}</td>
              <td>{fixed(step.speed_mm_s, 2)}</td>
              <td>{fixed(60 * step.speed_mm_s, 0)}</td>
              <td>{plain(step.length_mm)}</td>
              <td>{fixed(step.expected_g, 2)}</td>
              <td />
              <td />
              <td />
            </tr>
          ))}
        </tbody>
      </table>
      </div>
      <ul className="mt-3 grid grid-cols-2 gap-x-6 text-sm sm:grid-cols-3">
        {STRANDS.map((sign) => (
          <li key={sign.key} className="flex items-center gap-2">
            <StrandMark strand={sign.key} /> <b>{sign.code}</b> {sign.label}: {sign.says}
          </li>
        ))}
      </ul>
      <div className="mt-3">
        <Cautions plan={plan} />
      </div>
    </div>
  );
}

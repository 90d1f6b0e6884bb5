import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useParams } from "react-router";
import { api, take } from "../api/client";

/** One page to type from, into whatever program prints are prepared with. It prints on one sheet of paper. */
export default function SettingsSheetPage() {
  const recipeId = Number(useParams().recipeId);
  const path = { recipe_id: recipeId };
  const sheet = useQuery({
    queryKey: ["settings", recipeId],
    queryFn: async () => take(await api.GET("/api/recipes/{recipe_id}/settings", { params: { path } })),
    refetchOnMount: "always",
  });
  useEffect(() => {
    document.title = sheet.data ? t`Settings: ${sheet.data.name} · Mean Bead` : t`Settings · Mean Bead`;
  }, [sheet.data]);
  if (sheet.isError) {
    return (
      <section className="py-12">
        <h1 className="font-serif text-3xl"><Trans>This sheet cannot be made</Trans></h1>
        <p className="mt-2">{sheet.error.message}</p>
        <Link to="/" className="underline">
          <Trans>Back to the parts</Trans>
        </Link>
      </section>
    );
  }
  if (sheet.data === undefined) return <p className="py-10 text-quiet"><Trans>Writing the sheet …</Trans></p>;
  const { settings } = sheet.data;
  const groups = [...new Set(settings.map((one) => one.group))];
  return (
    <article className="py-5 print:py-0">
      <div className="flex flex-wrap items-end justify-between gap-3">
        <div>
          <h1 className="font-serif text-3xl">{sheet.data.name}</h1>
          <p>
            {sheet.data.machine} · {sheet.data.nozzle} · {sheet.data.material}
          </p>
        </div>
        <div className="flex flex-wrap gap-2 print:hidden">
          <button type="button" className="btn btn-accent btn-sm" onClick={() => window.print()}>
            <Trans>Print</Trans>
          </button>
          <a className="btn btn-outline btn-sm" href={`/api/recipes/${recipeId}/settings.csv`} download>
            <Trans>CSV</Trans>
          </a>
          <a className="btn btn-outline btn-sm" href={`/api/recipes/${recipeId}/settings.json`} download>
            <Trans>JSON</Trans>
          </a>
        </div>
      </div>
      <p className="mt-1 text-sm text-quiet">
        <Trans>Bold is chosen, the rest follows from it. Programs name some of these otherwise: go by the unit and the group.</Trans>
      </p>
      <div className="mt-3 columns-1 gap-8 sm:columns-2 lg:columns-3 print:columns-3 print:gap-5 print:text-[8.5pt]">
        {groups.map((group) => (
          <section key={group} className="mb-4 break-inside-avoid print:mb-2">
            <h2 className="border-b border-rule font-serif text-lg print:text-[10pt]">{group}</h2>
            <dl>
              {settings
                .filter((one) => one.group === group)
                .map((one) => (
                  <div key={one.key} className="flex justify-between gap-3 border-b border-base-300 py-0.5 print:py-0">
                    <dt>{one.label}</dt>
                    <dd className={`whitespace-nowrap ${one.chosen ? "font-semibold" : ""}`}>
                      {one.shown} <span className="inline-block min-w-12 font-normal text-quiet">{one.unit}</span>
                    </dd>
                  </div>
                ))}
            </dl>
          </section>
        ))}
      </div>
      <p className="mt-2 text-xs text-quiet">
        <Trans>
          Nozzle and heater burn; change a nozzle only with the proper tool and by the maker’s instructions. Keep below the
          hot end’s and the plastic’s limits.
        </Trans>
      </p>
    </article>
  );
}

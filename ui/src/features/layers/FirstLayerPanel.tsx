import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import { api, take, type RecipeColumn } from "../../api/client";
import { fixed, formatDuration } from "../../lib/format";

/** What touches the bed: area, islands, corners that may lift, and what the start costs. */
export function FirstLayerPanel({ column }: { column: RecipeColumn }) {
  const answer = useQuery({
    queryKey: ["first-layer", column.id, column.version, column.part_digest],
    queryFn: async ({ signal }) =>
      take(await api.GET("/api/recipes/{recipe_id}/first-layer", { params: { path: { recipe_id: column.id } }, signal })),
    staleTime: Infinity,
    retry: false,
  });
  if (answer.isError) return <p className="text-sm text-error">{answer.error.message}</p>;
  if (answer.data === undefined) return <p className="text-sm text-quiet"><Trans>Looking at the first layer …</Trans></p>;
  const first = answer.data;
  const several = first.islands.length > 1;
  const start = { skirt: t`The skirt`, brim: t`The brim`, raft: t`The raft` }[first.start_kind];
  return (
    <section aria-label={t`First layer`} className="border-t border-rule pt-2 text-sm">
      <h3 className="font-serif text-lg"><Trans>First layer</Trans></h3>
      <p>
        <Trans>
          <strong>{fixed(first.contact_mm2 / 100, 1)} cm²</strong> touch the bed
          {several ? t` in ${first.islands.length} islands` : t` in one piece`}, {fixed(first.height_mm, 2)} mm high at{" "}
          {fixed(first.speed_mm_s, 0)} mm/s.
        </Trans>
      </p>
      <p>
        <Trans>
          {several ? t`The narrowest island` : t`It`} is {fixed(first.thinnest_mm, 1)} mm across at its widest place
          {first.thinnest_mm < 4 ? t`: little to hold on to.` : "."}
          {first.small_islands > 0 &&
            ` ${plural(first.small_islands, { one: "# island is under 25 mm²: it comes off first.", other: "# islands are under 25 mm²: they come off first." })}`}
        </Trans>
      </p>
      <p>
        {first.corners.length === 0
          ? t`No sharp corner pulls at it.`
          : plural(first.corners.length, { one: "# sharp corner may lift with plastics that shrink.", other: "# sharp corners may lift with plastics that shrink." })}
      </p>
      <p>{start ? t`${start} adds ${formatDuration(first.start_s)} and ${first.start_g < 0.1 ? t`under 0.1` : fixed(first.start_g, 1)} g.` : t`Nothing is printed before the part: the nozzle is not primed.`}</p>
    </section>
  );
}

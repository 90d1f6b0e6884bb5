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
  if (answer.data === undefined) return <p className="text-sm text-quiet">Looking at the first layer …</p>;
  const first = answer.data;
  const several = first.islands.length > 1;
  const start = { skirt: "The skirt", brim: "The brim", raft: "The raft" }[first.start_kind];
  return (
    <section aria-label="First layer" className="border-t border-rule pt-2 text-sm">
      <h3 className="font-serif text-lg">First layer</h3>
      <p>
        <strong>{fixed(first.contact_mm2 / 100, 1)} cm²</strong> touch the bed
        {several ? ` in ${first.islands.length} islands` : " in one piece"}, {fixed(first.height_mm, 2)} mm high at{" "}
        {fixed(first.speed_mm_s, 0)} mm/s.
      </p>
      <p>
        {several ? "The narrowest island" : "It"} is {fixed(first.thinnest_mm, 1)} mm across at its widest place
        {first.thinnest_mm < 4 ? ": little to hold on to." : "."}
        {first.small_islands > 0 &&
          ` ${first.small_islands} ${first.small_islands === 1 ? "island is" : "islands are"} under 25 mm²: they come off first.`}
      </p>
      <p>
        {first.corners.length === 0
          ? "No sharp corner pulls at it."
          : `${first.corners.length} sharp ${first.corners.length === 1 ? "corner" : "corners"} may lift with plastics that shrink.`}
      </p>
      <p>{start ? `${start} adds ${formatDuration(first.start_s)} and ${first.start_g < 0.1 ? "under 0.1" : fixed(first.start_g, 1)} g.` : "Nothing is printed before the part: the nozzle is not primed."}</p>
    </section>
  );
}

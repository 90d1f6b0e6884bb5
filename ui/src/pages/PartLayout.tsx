import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, NavLink, Outlet, useOutletContext, useParams } from "react-router";
import type { Part } from "../api/client";
import { savePart } from "../features/part/savePart";
import { usePart } from "../api/queries";
import { fixed } from "../lib/format";
import { setLastPartId } from "../lib/lastPart";
import { useHistory } from "../components/history";
import { useToast } from "../components/Toasts";

/** What the pages of one part share: its head, its name, the ways between them. */
export default function PartLayout() {
  const partId = Number(useParams().partId);
  const part = usePart(partId);
  useEffect(() => {
    document.title = part.data ? t`${part.data.name} · Mean Bead` : "Mean Bead";
    if (part.data) setLastPartId(part.data.id);
  }, [part.data]);
  if (part.isError) {
    return (
      <section className="py-12">
        <h1 className="font-serif text-3xl"><Trans>This part cannot be shown</Trans></h1>
        <p className="mt-2">{part.error.message}</p>
        <Link to="/" className="mt-2 inline-block underline">
          <Trans>Back to the list of parts</Trans>
        </Link>
      </section>
    );
  }
  if (part.data === undefined) return <p className="py-10 text-quiet"><Trans>Opening the part …</Trans></p>;
  return (
    <div className="py-3" key={partId}>
      <PartHead part={part.data} />
      <Outlet context={part.data} />
    </div>
  );
}

/** The part of the page. */
export function usePartOfPage(): Part {
  return useOutletContext<Part>();
}

function PartHead({ part }: { part: Part }) {
  const { facts } = part;
  const size = facts.extents_mm;
  return (
    <div className="flex flex-wrap items-end gap-x-4 gap-y-1 border-b border-rule pb-2">
      <img src={part.picture} alt="" width={96} height={72} className="h-16 w-20 object-contain" />
      <div className="min-w-0">
        <PartName key={part.version} part={part} />
        <p className="text-sm text-quiet">
          <Trans>
            {fixed(size.x, 1)} × {fixed(size.y, 1)} × {fixed(size.z, 1)} mm · {fixed(facts.volume_mm3 / 1000, 1)} cm³ ·{" "}
            {fixed(facts.footprint_mm2 / 100, 1)} cm² on the bed
            {part.quantity > 1 && t` · ${part.quantity} wanted`}
            {part.due_on && t` · by ${part.due_on}`}
          </Trans>
          {part.note && <span className="text-base-content"> · {part.note}</span>}
          {facts.mended.length > 0 && <span className="block text-warning"><Trans>Mended: {facts.mended.join(" ")}</Trans></span>}
          {part.guessed && (
            <span className="block text-warning">
              <Trans>
                Guessed: {part.guessed.sentences.join(" ")}{" "}
                <Link className="underline" to={`/parts/${part.id}/ready?show=guessed`}>
                  Show it
                </Link>
              </Trans>
            </span>
          )}
        </p>
      </div>
      <nav aria-label={t`This part`} className="ml-auto flex flex-wrap gap-1 text-sm">
        <Tab to={`/parts/${part.id}/ready`} name={t`Get ready`} />
        <Tab to={`/parts/${part.id}`} name={t`Bench`} />
        <Tab to={`/parts/${part.id}/tradeoff`} name={t`Trade-off`} />
        <Tab to={`/parts/${part.id}/layers`} name={t`Layers`} />
        <Tab to={`/parts/${part.id}/send`} name={t`Print`} />
        <Tab to={`/parts/${part.id}/runs`} name={t`Runs`} />
        <Link to={`/day/queue?part=${part.id}`} className="border-b-2 border-transparent px-2 py-1 hover:border-rule" title={t`How many of it, by when: the plan finds machine and hour`}>
          <Trans>Queue</Trans>
        </Link>
      </nav>
    </div>
  );
}

function Tab({ to, name }: { to: string; name: string }) {
  return (
    <NavLink
      to={to}
      end
      className={({ isActive }) =>
        `border-b-2 px-2 py-1 ${isActive ? "border-molten font-semibold" : "border-transparent hover:border-rule"}`
      }
    >
      {name}
    </NavLink>
  );
}

/** The part's name, as the page's heading; it can be typed over. */
function PartName({ part }: { part: Part }) {
  const queries = useQueryClient();
  const toast = useToast();
  const history = useHistory();
  const [text, setText] = useState<string | null>(null);
  const save = useMutation({
    mutationFn: (name: string) => savePart(queries, history, part.id, { name }, t`the name of ${part.name}`),
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const commit = () => {
    const name = text?.trim() ?? "";
    if (name !== "" && name !== part.name) save.mutate(name);
    setText(null);
  };
  if (text === null) {
    return (
      <h1 className="font-serif text-3xl leading-tight">
        {part.name}
        <button
          type="button"
          className="btn btn-ghost btn-xs ml-2 align-middle font-sans font-normal text-quiet"
          onClick={() => setText(part.name)}
        >
          <Trans>Rename</Trans>
        </button>
      </h1>
    );
  }
  return (
    <input
      className="w-72 border-2 border-molten bg-base-100 px-1 font-serif text-3xl leading-tight outline-none"
      aria-label={t`Name of the part`}
      maxLength={120}
      autoFocus
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={commit}
      onKeyDown={(event) => {
        if (event.key === "Enter") commit();
        if (event.key === "Escape") setText(null);
      }}
    />
  );
}

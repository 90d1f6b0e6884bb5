import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { useCallback, useDeferredValue, useEffect, useState, type DragEvent } from "react";
import { useParts } from "../api/queries";
import { Link, NavigationType, useNavigate, useNavigationType } from "react-router";
import { SampleNote } from "../features/begin/SampleNote";
import { PartCard } from "../features/parts/PartCard";
import { PickFiles } from "../features/uploads/PickFiles";
import { UploadList } from "../features/uploads/UploadList";
import { useUploads } from "../features/uploads/useUploads";

/** From so many parts on, one may search. */
const SEARCHED_FROM = 12;

/** Says that this visit has been shown the first steps. */
const BEGUN = "meanbead.begun";

/** What there is to print, and the place where new parts arrive. */
export function PartsPage() {
  const [search, setSearch] = useState("");
  const parts = useParts(useDeferredValue(search.trim()));
  const shown = parts.data?.pages.flatMap((page) => page.parts);
  const total = parts.data?.pages[0]?.total ?? 0;
  const uploads = useUploads();
  const { fetchNextPage } = parts;
  // Whoever scrolls to the end gets more without asking.
  const more = useCallback(
    (button: HTMLButtonElement | null) => {
      if (button === null) return;
      const watch = new IntersectionObserver(([seen]) => seen?.isIntersecting && void fetchNextPage(), { rootMargin: "400px" });
      watch.observe(button);
      return () => watch.disconnect();
    },
    [fetchNextPage],
  );
  const [over, setOver] = useState(false);

  useEffect(() => {
    document.title = t`Parts · Mean Bead`;
  }, []);

  const dropped = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    uploads.add([...event.dataTransfer.files]);
  };

  // A workshop without a part begins with the first steps; whoever comes back from there, or follows a link to the parts,
  // sees the empty list.
  const navigate = useNavigate();
  const opened = useNavigationType() === NavigationType.Pop;
  const empty = opened && total === 0 && search === "" && parts.isSuccess && uploads.list.length === 0;
  useEffect(() => {
    if (!empty || sessionStorage.getItem(BEGUN) !== null) return;
    sessionStorage.setItem(BEGUN, "yes");
    void navigate("/begin", { replace: true });
  }, [empty, navigate]);

  return (
    <section
      className="min-h-[80vh] py-6"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => {
        if (!event.currentTarget.contains(event.relatedTarget as Node | null)) setOver(false);
      }}
      onDrop={dropped}
    >
      <div className="flex flex-wrap items-end justify-between gap-3">
        <div>
          <h1 className="font-serif text-3xl"><Trans>Parts</Trans></h1>
          <p className="text-quiet"><Trans>Open one to compare recipes for it, side by side.</Trans></p>
        </div>
        <div className="flex flex-wrap items-center gap-3">
          {total > 0 && (
            <a className="text-sm underline" href={`/api/parts.csv${search.trim() ? `?search=${encodeURIComponent(search.trim())}` : ""}`} download>
              <Trans>List as CSV</Trans>
            </a>
          )}
          <span className="text-sm text-quiet"><Trans>Drop an STL, OBJ, 3MF, PLY, STEP or zip file anywhere here, or</Trans></span>
          <PickFiles name={t`Add a part`} label={t`Part files`} onFiles={uploads.add} />
        </div>
      </div>

      <SampleNote />
      <UploadList uploads={uploads} />

      {over && (
        <p className="mt-4 rounded-box border-2 border-dashed border-molten bg-molten-wash p-6 text-center">
          <Trans>Let go to add the part.</Trans>
        </p>
      )}

      {parts.isError && <p className="mt-8 text-error">{parts.error.message}</p>}
      {(search !== "" || total > SEARCHED_FROM) && (
        <label className="mt-4 flex items-center gap-3 text-sm">
          <span className="sr-only"><Trans>Find a part</Trans></span>
          <input
            type="search"
            className="input input-sm w-64 border-rule"
            placeholder={t`Find a part by its name`}
            value={search}
            onChange={(event) => setSearch(event.target.value)}
          />
          <span className="text-quiet" role="status">
            <Plural value={total} one="# part" other="# parts" />
          </span>
        </label>
      )}
      {shown?.length === 0 && search === "" && uploads.list.length === 0 && (
        <div className="mt-10 max-w-xl rounded-box border border-dashed border-rule p-6">
          <h2 className="font-serif text-xl"><Trans>No parts yet</Trans></h2>
          <p className="mt-1">
            <Trans>
              Take any part file that you print often. You get its size and volume at once, and two recipes to start from;
              then change one number and see the minutes move.
            </Trans>
          </p>
          <p className="mt-3">
            <Link className="btn btn-accent btn-sm" to="/begin">
              <Trans>Three steps to the first true figure</Trans>
            </Link>
          </p>
        </div>
      )}
      <ul className="mt-5 grid gap-4 [grid-template-columns:repeat(auto-fill,minmax(min(100%,270px),1fr))]">
        {shown?.map((part) => (
          <li key={part.id}>
            <PartCard part={part} />
          </li>
        ))}
      </ul>
      {parts.hasNextPage && (
        <p className="mt-5 text-center">
          <button ref={more} type="button" className="btn btn-outline btn-sm font-normal" disabled={parts.isFetchingNextPage} onClick={() => void parts.fetchNextPage()}>
            <Trans>Older parts</Trans>
          </button>
        </p>
      )}
    </section>
  );
}

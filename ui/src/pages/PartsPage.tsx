import { useEffect, useRef, useState, type DragEvent } from "react";
import { useParts } from "../api/queries";
import { PartCard } from "../features/parts/PartCard";
import { UploadList } from "../features/uploads/UploadList";
import { useUploads } from "../features/uploads/useUploads";

/** What there is to print, and the place where new parts arrive. */
export function PartsPage() {
  const parts = useParts();
  const uploads = useUploads();
  const picker = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);

  useEffect(() => {
    document.title = "Parts · Mean Bead";
  }, []);

  const dropped = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    uploads.add([...event.dataTransfer.files]);
  };

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
          <h1 className="font-serif text-3xl">Parts</h1>
          <p className="text-quiet">Open one to compare recipes for it, side by side.</p>
        </div>
        <div className="flex flex-wrap items-center gap-3">
          <span className="text-sm text-quiet">Drop an STL, OBJ, 3MF, PLY, STEP or zip file anywhere here, or</span>
          <button type="button" className="btn btn-accent btn-sm" onClick={() => picker.current?.click()}>
            Add a part
          </button>
          <input
            ref={picker}
            type="file"
            multiple
            accept=".stl,.obj,.3mf,.ply,.step,.stp,.zip"
            className="hidden"
            aria-label="Part files"
            onChange={(event) => {
              uploads.add([...(event.target.files ?? [])]);
              event.target.value = "";
            }}
          />
        </div>
      </div>

      <UploadList uploads={uploads} />

      {over && (
        <p className="mt-4 rounded-box border-2 border-dashed border-molten bg-molten-wash p-6 text-center">
          Let go to add the part.
        </p>
      )}

      {parts.isError && <p className="mt-8 text-error">{parts.error.message}</p>}
      {parts.data?.length === 0 && uploads.list.length === 0 && (
        <div className="mt-10 max-w-xl rounded-box border border-dashed border-rule p-6">
          <h2 className="font-serif text-xl">No parts yet</h2>
          <p className="mt-1">
            Take any part file that you print often. You get its size and volume at once, and two recipes to start from;
            then change one number and see the minutes move.
          </p>
        </div>
      )}
      <ul className="mt-5 grid gap-4 [grid-template-columns:repeat(auto-fill,minmax(min(100%,270px),1fr))]">
        {parts.data?.map((part) => (
          <li key={part.id}>
            <PartCard part={part} />
          </li>
        ))}
      </ul>
    </section>
  );
}

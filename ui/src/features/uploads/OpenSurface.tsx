import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect, useState } from "react";
import { api, take, type Problem } from "../../api/client";
import { useJob } from "../../api/jobs";
import { parseNumber } from "../../lib/format";
import { JobBar } from "../../components/JobBar";

interface OpenSurfaceProps {
  uploadId: number;
  problem: Problem;
  onClosed: (partId: number) => Promise<void>;
}

/** A file whose surface is open: where, and the offer to close it by guessing. */
export function OpenSurface({ uploadId, problem, onClosed }: OpenSurfaceProps) {
  const [thickness, setThickness] = useState("");
  const [wrong, setWrong] = useState("");
  const work = useJob(["close", uploadId], async () => {
    const sheet = thickness.trim() === "" ? null : parseNumber(thickness);
    return take(
      await api.POST("/api/parts/uploads/{upload_id}/close", {
        params: { path: { upload_id: uploadId } },
        body: { sheet_mm: sheet },
      }),
    );
  });
  const partId = work.job?.state === "done" ? work.job.close?.part_id : undefined;
  useEffect(() => {
    if (partId !== undefined) void onClosed(partId);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once for each part
  }, [partId]);
  const start = () => {
    const number = parseNumber(thickness);
    if (thickness.trim() !== "" && !(number >= 0.1 && number <= 50)) {
      setWrong(t`A thickness is 0.1 to 50 mm.`);
      return;
    }
    setWrong("");
    work.start();
  };
  return (
    <div className="mt-2 flex flex-wrap items-start gap-4">
      <figure>
        <img
          src={`/api/parts/uploads/${uploadId}/picture`}
          width={320}
          height={240}
          className="h-40 w-56 border border-rule bg-base-100 object-contain"
          alt={t`The part, with the edges where its surface is open drawn in orange`}
        />
        <figcaption className="text-xs text-quiet"><Trans>Orange: the surface is open or unclear here.</Trans></figcaption>
      </figure>
      <div className="max-w-xl space-y-2">
        <p>
          <Trans>
            It can be closed by guessing: holes are filled, crossing bodies united. You then see what was added, on the part
            and in figures, and it stays marked as guessed. Undo goes back to the file as it came.
          </Trans>
        </p>
        {problem.sheets && (
          <label className="flex flex-wrap items-center gap-2 text-sm">
            <Trans>Sheets without thickness become</Trans>
            <input
              className="input input-xs w-20 border-rule bg-base-100 text-right"
              inputMode="decimal"
              placeholder={t`left out`}
              aria-invalid={wrong !== ""}
              aria-describedby={`sheet-${uploadId}`}
              value={thickness}
              onChange={(event) => setThickness(event.target.value)}
            />
            <Trans>
              mm thick
              <span id={`sheet-${uploadId}`} role={wrong ? "alert" : undefined} className={wrong ? "text-error" : "text-quiet"}>
                {wrong || t`Empty: what encloses nothing is left out.`}
              </span>
            </Trans>
          </label>
        )}
        <button type="button" className="btn btn-accent btn-sm" disabled={work.busy} onClick={start}>
          <Trans>Close it anyway</Trans>
        </button>
        <JobBar work={work} what={t`Closing the surface`} />
      </div>
    </div>
  );
}

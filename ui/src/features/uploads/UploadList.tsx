import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Part } from "../../api/client";
import type { Unit } from "../../api/upload";
import { fixed, plain } from "../../lib/format";
import { OpenSurface } from "./OpenSurface";
import { SeveralModels } from "./SeveralModels";
import type { Upload, Uploads } from "./useUploads";

const UNIT_MM: readonly { unit: Unit; label: string; mm: number }[] = [
  { unit: "mm", label: t`millimetres`, mm: 1 },
  { unit: "inch", label: t`inches`, mm: 25.4 },
  { unit: "cm", label: t`centimetres`, mm: 10 },
  { unit: "m", label: t`metres`, mm: 1000 },
];

/** Files on their way in: progress, the reason when one is refused, and the question for its unit. */
export function UploadList({ uploads }: { uploads: Uploads }) {
  if (uploads.list.length === 0) return null;
  return (
    <ul className="mt-4 space-y-2" aria-label={t`Files being added`} aria-live="polite">
      {uploads.list.map((upload) => (
        <li key={upload.id} className="rounded-box border border-rule bg-base-200 px-3 py-2">
          <Row upload={upload} uploads={uploads} />
        </li>
      ))}
    </ul>
  );
}

function Row({ upload, uploads }: { upload: Upload; uploads: Uploads }) {
  const dismiss = (
    <button type="button" className="btn btn-ghost btn-xs ml-auto" onClick={() => uploads.dismiss(upload.id)}>
      <Trans>Dismiss</Trans>
    </button>
  );
  if (upload.part) return <Arrived part={upload.part} dismiss={dismiss} />;
  if (upload.problem?.models) {
    return (
      <div>
        <div className="flex items-center gap-3">
          <strong className="break-all">{upload.file.name}</strong>
          {dismiss}
        </div>
        <SeveralModels names={upload.problem.models} onTake={(names) => uploads.takeModels(upload.id, names)} />
      </div>
    );
  }
  if (upload.problem) {
    const { extents, suggested_unit: suggested } = upload.problem;
    return (
      <div>
        <div className="flex items-center gap-3">
          <strong className="break-all">{nameOf(upload)}</strong>
          {dismiss}
        </div>
        <p className="text-error" role="alert">
          {upload.problem.upload_id == null ? upload.problem.detail : upload.problem.title}
        </p>
        {upload.problem.upload_id != null && (
          <OpenSurface uploadId={upload.problem.upload_id} problem={upload.problem} onClosed={(partId) => uploads.closed(upload.id, partId)} />
        )}
        {extents && (
          <div className="mt-2 flex flex-wrap gap-2">
            {UNIT_MM.map(({ unit, label, mm }) => (
              <button
                key={unit}
                type="button"
                className={`btn btn-xs ${unit === suggested ? "btn-accent" : "btn-outline"}`}
                onClick={() => uploads.retry(upload.id, unit)}
              >
                {label}: {extents.map((side) => plain(Number((side * mm).toPrecision(3)))).join(" × ")} mm
              </button>
            ))}
          </div>
        )}
      </div>
    );
  }
  return (
    <div className="flex flex-wrap items-center gap-3">
      <strong className="break-all">{nameOf(upload)}</strong>
      <progress
        className="progress progress-accent w-48"
        aria-label={t`Adding ${upload.file.name}`}
        value={upload.sent < 1 ? upload.sent : undefined}
        max={1}
      />
      <span className="text-sm text-quiet">{upload.sent < 1 ? t`sending` : t`checking the mesh`}</span>
    </div>
  );
}

function nameOf(upload: Upload): string {
  return upload.member === "" ? upload.file.name : `${upload.file.name}: ${upload.member}`;
}

/** A file that is a part now, with what was mended or guessed. */
function Arrived({ part, dismiss }: { part: Part; dismiss: ReactNode }) {
  return (
    <div>
      <div className="flex flex-wrap items-center gap-3">
        <span>
          <Trans><strong>{part.name}</strong> was added. {part.facts.mended.length > 0 && t`Mended: ${part.facts.mended.join(" ")}`}</Trans>
        </span>
        <Link to={`/parts/${part.id}`} className="btn btn-accent btn-xs">
          <Trans>Compare recipes</Trans>
        </Link>
        {part.guessed && (
          <Link to={`/parts/${part.id}/ready?show=guessed`} className="btn btn-outline btn-xs">
            <Trans>See what was guessed</Trans>
          </Link>
        )}
        {dismiss}
      </div>
      {part.guessed && (
        <p className="text-warning">
          <Trans>
            Guessed: {part.guessed.sentences.join(" ")} It now encloses {fixed(part.guessed.volume_mm3 / 1000, 1)} cm³. Undo goes
            back to the file as it came.
          </Trans>
        </p>
      )}
    </div>
  );
}

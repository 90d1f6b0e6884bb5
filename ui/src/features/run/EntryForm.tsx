import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { useState, type ReactNode } from "react";
import type { Fault, RunTag } from "../../api/client";
import { doubts, localMoment, momentOf, type EntryText } from "./entryText";
import type { WaitingPhoto } from "./waitingPhotos";
import { FaultMark } from "./FaultMark";

interface EntryFormProps {
  tag: RunTag;
  faults: readonly Fault[];
  form: EntryText;
  onChange: (part: Partial<EntryText>) => void;
  onWeigh?: () => void;
  /** Taken, and not stored yet. */
  photos: readonly WaitingPhoto[];
  onPhoto: (file: File) => void;
}

const OUTCOMES = [
  ["kept", t`Kept`],
  ["scrapped", t`Scrapped`],
  ["stopped", t`Stopped`],
] as const;

/** One thing under the other, in the order in which it is known at the machine; all but the first may be left out. */
export function EntryForm({ tag, faults, form, onChange, onWeigh, photos, onPhoto }: EntryFormProps) {
  const [asks, setAsks] = useState(false);
  const doubt = doubts(form, tag);
  return (
    <div className="mt-3 space-y-4">
      <Choices legend={t`What came of it`} name="state" value={form.state} options={OUTCOMES} onPick={(state) => onChange({ state, ended_at: form.ended_at ?? null })} />
      {form.state === "stopped" && (
        <Row legend={t`Stopped at`}>
          <Figure label={t`Layer`} value={form.layer} onType={(layer) => onChange({ layer })} unit={tag.layers != null ? t`of ${tag.layers}` : ""} />
          <Figure label={t`or minute`} value={form.minute} onType={(minute) => onChange({ minute })} />
        </Row>
      )}
      {form.state !== "stopped" && (
        <Row legend={tag.plates > 1 ? t`Time on the panel, of one plate` : t`Time on the panel`}>
          <Figure label={t`Hours`} value={form.hours} onType={(hours) => onChange({ hours })} unit="h" />
          <Figure label={t`Minutes`} value={form.minutes} onType={(minutes) => onChange({ minutes })} unit="min" />
          {form.hours === "" && form.minutes === "" && (
            <button type="button" className="btn h-12 flex-1 font-normal" aria-pressed={form.ended_at !== null} onClick={() => onChange({ ended_at: form.ended_at === null ? new Date().toISOString() : null })}>
              {form.ended_at === null ? t`It has just ended` : t`Ended ` + new Date(form.ended_at).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })}
            </button>
          )}
        </Row>
      )}
      {form.state !== "stopped" && <Doubt>{doubt.time}</Doubt>}
      {(form.hours !== "" || form.minutes !== "") && form.state !== "stopped" && tag.panel !== "" && !asks && (
        <p className="text-sm text-quiet">
          <Trans>Counted as {form.means === "printing" ? t`printing only` : t`printing with heating`}.</Trans>{" "}
          <button type="button" className="min-h-8 underline" onClick={() => setAsks(true)}>
            <Trans>Is it otherwise?</Trans>
          </button>
        </p>
      )}
      {(form.hours !== "" || form.minutes !== "") && form.state !== "stopped" && (tag.panel === "" || asks) && (
        <Choices
          legend={t`What ${tag.machine_name || t`the machine`}’s panel counts (asked once)`}
          name="means"
          value={form.means}
          options={[["printing", t`Printing only`], ["with_heating", t`With heating`]] as const}
          onPick={(means) => onChange({ means })}
        />
      )}
      <Row legend={tag.plates > 1 ? t`Weight, of one plate` : t`Weight`}>
        <Figure label={t`Weight`} alone value={form.weight} onType={(weight) => onChange({ weight })} unit="g" />
        {onWeigh && (
          <button type="button" className="btn h-12 flex-1 font-normal" onClick={onWeigh}>
            <Trans>Read the scale</Trans>
          </button>
        )}
      </Row>
      {form.state !== "stopped" && <Doubt>{doubt.weight}</Doubt>}
      <Choices
        legend={t`Looks, 1 poor to 5 as good as it gets`}
        name="looks"
        value={form.looks === null ? "" : String(form.looks)}
        options={[["1", "1"], ["2", "2"], ["3", "3"], ["4", "4"], ["5", "5"]] as const}
        onPick={(looks) => onChange({ looks: form.looks === Number(looks) ? null : Number(looks) })}
      />
      <Faults faults={faults} chosen={form.faults} onChange={(chosen) => onChange({ faults: chosen })} />
      <details className="border-t border-rule pt-2" open={form.note !== "" || form.nozzle !== "" || form.bed !== ""}>
        <summary className="min-h-8 cursor-pointer py-1"><Trans>Temperatures, pieces, times of day, a sentence</Trans></summary>
        <div className="mt-2 flex flex-wrap gap-3">
          <Figure label={t`Nozzle held`} value={form.nozzle} onType={(nozzle) => onChange({ nozzle })} unit="°C" placeholder={tag.nozzle_temp_c == null ? "" : String(tag.nozzle_temp_c)} />
          <Figure label={t`Bed held`} value={form.bed} onType={(bed) => onChange({ bed })} unit="°C" placeholder={tag.bed_temp_c == null ? "" : String(tag.bed_temp_c)} />
          <Figure label={t`Pieces kept`} value={form.pieces} onType={(pieces) => onChange({ pieces })} unit={t`of ${tag.plates * tag.copies}`} />
        </div>
        <div className="mt-3 grid gap-2 text-xs text-quiet">
          <label>
            <Trans>Started</Trans>
            <input type="datetime-local" className="input h-12 w-full border-rule bg-base-100 text-sm text-base-content" value={localMoment(form.started_at ?? tag.started_at)} onChange={(event) => onChange({ started_at: momentOf(event.target.value) })} />
          </label>
          <label>
            <Trans>Ended</Trans>
            <input type="datetime-local" className="input h-12 w-full border-rule bg-base-100 text-sm text-base-content" value={form.ended_at === null ? "" : localMoment(form.ended_at)} onChange={(event) => onChange({ ended_at: momentOf(event.target.value) })} />
          </label>
        </div>
        <label className="mt-3 block text-sm">
          <Trans>A sentence</Trans>
          <textarea className="textarea mt-1 w-full border-rule text-base" rows={2} maxLength={2000} value={form.note} onChange={(event) => onChange({ note: event.target.value })} />
        </label>
      </details>
      <div>
        <div className="flex flex-wrap gap-2">
          {tag.photos.map((photo) => (
            <a key={photo.id} href={photo.photo} target="_blank" rel="noreferrer">
              <img src={photo.thumbnail} alt={t`Photo ${photo.id}`} className="h-20 w-20 object-cover" />
            </a>
          ))}
        </div>
        {photos.length > 0 && (
          <p role="status" className="mt-1 text-sm">
            <Trans><Plural value={photos.length} one="A photo is" other="# photos are" /> kept in this phone, and stored as soon as the workshop answers.</Trans>
          </p>
        )}
        <label className="btn mt-1 h-12 w-full font-normal has-focus-visible:outline-2">
          <Trans>Take a photo</Trans>
          <input
            type="file"
            accept="image/*"
            capture="environment"
            className="sr-only"
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (file) onPhoto(file);
              event.target.value = "";
            }}
          />
        </label>
      </div>
    </div>
  );
}

function Row({ legend, children }: { legend: string; children: ReactNode }) {
  return (
    <fieldset>
      <legend className="text-sm">{legend}</legend>
      <div className="mt-1 flex items-end gap-2">{children}</div>
    </fieldset>
  );
}

/** Where something typed is far from what was predicted. It is said, and stops nobody. */
function Doubt({ children }: { children: string | undefined }) {
  return (
    <p role="status" className="text-sm text-warning empty:hidden">
      {children}
    </p>
  );
}

interface FigureProps {
  label: string;
  value: string;
  onType: (text: string) => void;
  unit?: string;
  placeholder?: string;
  /** The legend says what it is already. */
  alone?: boolean;
}

function Figure({ label, value, onType, unit = "", placeholder = "", alone = false }: FigureProps) {
  return (
    <label className="min-w-0">
      <span className={alone ? "sr-only" : "block text-xs text-quiet"}>{label}</span>
      <span className="flex items-center gap-1">
        <input className="input h-12 w-20 border-rule bg-base-100 text-right text-lg" inputMode="decimal" autoComplete="off" placeholder={placeholder} value={value} onChange={(event) => onType(event.target.value)} />
        <span className="whitespace-nowrap text-sm text-quiet">{unit}</span>
      </span>
    </label>
  );
}

interface ChoicesProps<Value extends string> {
  legend: string;
  name: string;
  value: string;
  options: readonly (readonly [Value, string])[];
  onPick: (value: Value) => void;
}

/** Large buttons of which one is pressed. */
function Choices<Value extends string>({ legend, name, value, options, onPick }: ChoicesProps<Value>) {
  return (
    <fieldset>
      <legend className="text-sm">{legend}</legend>
      <div className="mt-1 flex gap-2">
        {options.map(([key, label]) => (
          <button
            key={key}
            type="button"
            name={name}
            aria-pressed={value === key}
            className={`btn h-12 min-w-0 flex-1 px-1 text-base font-normal ${value === key ? "border-molten bg-molten-wash text-base-content" : "border-rule bg-base-100"}`}
            onClick={() => onPick(key)}
          >
            {label}
          </button>
        ))}
      </div>
    </fieldset>
  );
}

function Faults({ faults, chosen, onChange }: { faults: readonly Fault[]; chosen: readonly string[]; onChange: (faults: string[]) => void }) {
  const [open, setOpen] = useState(false);
  const toggle = (key: string) => onChange(chosen.includes(key) ? chosen.filter((one) => one !== key) : [...chosen, key]);
  const shown = open ? faults : faults.filter((fault) => chosen.includes(fault.key));
  return (
    <fieldset>
      <legend className="text-sm"><Trans>What is wrong with it{chosen.length === 0 && !open ? t`: nothing` : ""}</Trans></legend>
      <div className="mt-1 grid grid-cols-3 gap-2">
        {shown.map((fault) => (
          <button
            key={fault.key}
            type="button"
            aria-pressed={chosen.includes(fault.key)}
            title={fault.looks}
            className={`flex flex-col items-center rounded-box border px-1 py-2 text-center text-xs leading-tight ${chosen.includes(fault.key) ? "border-molten bg-molten-wash" : "border-rule"}`}
            onClick={() => toggle(fault.key)}
          >
            <FaultMark fault={fault.key} />
            {fault.name}
          </button>
        ))}
      </div>
      <button type="button" className="btn mt-2 h-12 w-full font-normal" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? t`That is all` : chosen.length > 0 ? t`Another fault` : t`Tag a fault`}
      </button>
    </fieldset>
  );
}

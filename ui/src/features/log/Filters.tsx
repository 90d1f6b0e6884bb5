import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Fault, Shelf } from "../../api/client";
import type { RunFilter } from "../../api/runs";

interface FiltersProps {
  filter: RunFilter;
  onChange: (part: Partial<RunFilter>) => void;
  shelf: Shelf | undefined;
  faults: readonly Fault[];
  plastics: readonly string[];
}

const box = "select select-sm border-rule bg-base-100 font-normal";

/** Which runs are shown; all of it stands in the page's address. */
export function Filters({ filter, onChange, shelf, faults, plastics }: FiltersProps) {
  const more = [filter.machine_id, filter.nozzle_id, filter.plastic, filter.since, filter.until].some((one) => one !== undefined);
  const number = (text: string) => (text === "" ? undefined : Number(text));
  return (
    <form role="search" aria-label={t`Which runs`} className="flex flex-wrap items-center gap-2" onSubmit={(event) => event.preventDefault()}>
      <input type="search" className="input input-sm w-48 border-rule bg-base-100" placeholder={t`Part, note, #number`} aria-label={t`Words`} defaultValue={filter.search ?? ""} onChange={(event) => onChange({ search: event.target.value || undefined })} />
      <select className={`${box} w-32`} aria-label={t`Outcome`} value={filter.state ?? ""} onChange={(event) => onChange({ state: (event.target.value || undefined) as RunFilter["state"] })}>
        <option value="">{t`any outcome`}</option>
        <option value="running">{t`running`}</option>
        <option value="kept">{t`kept`}</option>
        <option value="scrapped">{t`scrapped`}</option>
        <option value="stopped">{t`stopped`}</option>
      </select>
      <select className={`${box} w-40`} aria-label={t`Fault`} value={filter.fault ?? ""} onChange={(event) => onChange({ fault: event.target.value || undefined })}>
        <option value="">{t`with or without fault`}</option>
        <option value="any">{t`any fault`}</option>
        {faults.map((fault) => (
          <option key={fault.key} value={fault.key}>
            {fault.name}
          </option>
        ))}
      </select>
      <details className="w-full" open={more}>
        <summary className="w-fit cursor-pointer py-1 text-sm text-quiet"><Trans>Machine, nozzle, plastic, dates</Trans></summary>
        <div className="mt-1 flex flex-wrap items-center gap-2">
          <select className={`${box} w-36`} aria-label={t`Machine`} value={filter.machine_id ?? ""} onChange={(event) => onChange({ machine_id: number(event.target.value) })}>
            <option value="">{t`all machines`}</option>
            {shelf?.machines.map((machine) => (
              <option key={machine.id} value={machine.id}>
                {machine.name}
              </option>
            ))}
          </select>
          <select className={`${box} w-36`} aria-label={t`Nozzle`} value={filter.nozzle_id ?? ""} onChange={(event) => onChange({ nozzle_id: number(event.target.value) })}>
            <option value="">{t`all nozzles`}</option>
            {shelf?.nozzles.map((nozzle) => (
              <option key={nozzle.id} value={nozzle.id}>
                {nozzle.name}
              </option>
            ))}
          </select>
          <select className={`${box} w-36`} aria-label={t`Plastic`} value={filter.plastic ?? ""} onChange={(event) => onChange({ plastic: event.target.value || undefined })}>
            <option value="">{t`all plastics`}</option>
            {plastics.map((plastic) => (
              <option key={plastic}>{plastic}</option>
            ))}
          </select>
          <label className="flex items-center gap-1 text-sm">
            <Trans>from</Trans> <input type="date" className="input input-sm w-36 border-rule bg-base-100" value={filter.since?.slice(0, 10) ?? ""} onChange={(event) => onChange({ since: event.target.value ? new Date(`${event.target.value}T00:00`).toISOString() : undefined })} />
          </label>
          <label className="flex items-center gap-1 text-sm">
            <Trans>until</Trans> <input type="date" className="input input-sm w-36 border-rule bg-base-100" value={filter.until?.slice(0, 10) ?? ""} onChange={(event) => onChange({ until: event.target.value ? new Date(`${event.target.value}T23:59:59`).toISOString() : undefined })} />
          </label>
        </div>
      </details>
    </form>
  );
}

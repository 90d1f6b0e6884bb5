import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";

interface SeveralModelsProps {
  names: readonly string[];
  onTake: (names: readonly string[]) => void;
}

/** The models of an archive, to choose from. */
export function SeveralModels({ names, onTake }: SeveralModelsProps) {
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const toggle = (name: string) => {
    const next = new Set(chosen);
    if (!next.delete(name)) next.add(name);
    setChosen(next);
  };
  return (
    <fieldset className="mt-1">
      <legend className="text-sm text-quiet"><Trans>It holds {names.length} models. Which are to be added?</Trans></legend>
      <ul className="max-h-60 overflow-y-auto">
        {names.map((name) => (
          <li key={name}>
            <label className="flex items-center gap-2 break-all">
              <input type="checkbox" className="checkbox checkbox-xs" checked={chosen.has(name)} onChange={() => toggle(name)} />
              {name}
            </label>
          </li>
        ))}
      </ul>
      <div className="mt-1 flex gap-2">
        <button
          type="button"
          className="btn btn-accent btn-xs"
          disabled={chosen.size === 0}
          onClick={() => onTake(names.filter((name) => chosen.has(name)))}
        >
          {chosen.size === 0 ? t`Choose some` : t`Add ${chosen.size}`}
        </button>
        <button type="button" className="btn btn-outline btn-xs" onClick={() => onTake(names)}>
          <Trans>Add all {names.length}</Trans>
        </button>
      </div>
    </fieldset>
  );
}

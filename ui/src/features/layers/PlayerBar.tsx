import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { ReactNode } from "react";
import type { ViewName } from "../../components/stage/Stage";
import { PACES, type Playback } from "./usePlayback";

interface PlayerBarProps {
  place: Playback;
  below: boolean;
  onBelow: (below: boolean) => void;
  travels: boolean;
  onTravels: (travels: boolean) => void;
  onLook: (view: ViewName) => void;
  children?: ReactNode;
}

/** Play, look from another side, and what is shown beside the layer's strokes. */
export function PlayerBar({ place, below, onBelow, travels, onTravels, onLook, children }: PlayerBarProps) {
  return (
    <>
      <div className="mt-2 flex flex-wrap items-center gap-2 text-sm">
        <button type="button" className="btn btn-outline btn-xs w-16" onClick={() => place.toggle()}>
          {place.playing ? t`Pause` : t`Play`}
        </button>
        <div className="join" role="group" aria-label={t`Pace`}>
          {PACES.map((one) => (
            <button
              key={one}
              type="button"
              aria-pressed={place.pace === one}
              className={`btn join-item btn-xs ${place.pace === one ? "btn-neutral" : "btn-outline"}`}
              onClick={() => place.setPace(one)}
            >
              {one} ×
            </button>
          ))}
        </div>
        <button type="button" className="btn btn-outline btn-xs" onClick={() => place.go(0)}>
          <Trans>First layer</Trans>
        </button>
        <span className="mx-1 h-4 border-l border-rule" />
        <button type="button" className="btn btn-outline btn-xs" onClick={() => onLook("above")}>
          <Trans>From above</Trans>
        </button>
        <button type="button" className="btn btn-outline btn-xs" onClick={() => onLook("corner")}>
          <Trans>From a corner</Trans>
        </button>
        <label className="flex items-center gap-1.5">
          <input type="checkbox" className="checkbox checkbox-xs" checked={!below} onChange={(event) => onBelow(!event.target.checked)} />
          <Trans>This layer alone</Trans>
        </label>
        <label className="flex items-center gap-1.5">
          <input type="checkbox" className="checkbox checkbox-xs" checked={travels} onChange={(event) => onTravels(event.target.checked)} />
          <Trans>Travel</Trans>
        </label>
        {children}
      </div>
      <p className="mt-1 text-xs text-quiet">
        <Trans>
          Arrows: up and down change the layer, left and right lay strokes · 1: first layer · space plays · point at a stroke of
          the top layer to read it
        </Trans>
      </p>
    </>
  );
}

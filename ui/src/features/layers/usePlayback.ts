import { useCallback, useEffect, useState } from "react";
import type { StrokesIndex } from "../../api/client";
import { placeAfter } from "./places";

export const PACES = [1, 10, 60, 300] as const;

export interface Playback {
  layer: number;
  /** How much of the layer is laid, from 0 to 1. */
  share: number;
  setShare: (share: number) => void;
  /** Go to a layer, whole. */
  go: (layer: number) => void;
  playing: boolean;
  toggle: () => void;
  pace: number;
  setPace: (pace: number) => void;
}

/** A place in the print, set by hand or running on by itself. */
export function usePlayback(index: StrokesIndex, begin: number): Playback {
  const layers = index.top_mm.length;
  const [layer, setLayer] = useState(begin);
  const [share, setShare] = useState(1);
  const [playing, setPlaying] = useState(false);
  const [pace, setPace] = useState<number>(10);

  const go = useCallback(
    (to: number) => {
      setLayer(Math.max(0, Math.min(layers - 1, to)));
      setShare(1);
    },
    [layers],
  );

  useEffect(() => {
    if (!playing) return;
    let last = performance.now();
    let at = { layer, share };
    let frame = 0;
    const step = (now: number) => {
      const { ended, ...place } = placeAfter(index, at, ((now - last) / 1000) * pace);
      last = now;
      at = place;
      setLayer(place.layer);
      setShare(place.share);
      if (ended) setPlaying(false);
      frame = requestAnimationFrame(step);
    };
    frame = requestAnimationFrame(step);
    return () => cancelAnimationFrame(frame);
    // It runs on from where it was started; what it shows is not what it depends on.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [playing, pace, index]);

  const toggle = useCallback(() => setPlaying((now) => !now), []);
  return { layer, share, setShare, go, playing, toggle, pace, setPace };
}

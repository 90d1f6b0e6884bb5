import { Trans } from "@lingui/react/macro";
import { useEffect, useRef, useState, type ReactNode } from "react";
import { Stage } from "./Stage";

interface StageCanvasProps {
  label: string;
  /** Called once with the scene; what it returns is called at the end. */
  onReady: (stage: Stage) => (() => void) | undefined;
  /** Edges without steps; the first value holds. */
  smooth?: boolean;
  children?: ReactNode;
  className?: string;
}

/** Whether this browser draws 3D at all. */
function draws3d(): boolean {
  return document.createElement("canvas").getContext("webgl2") !== null;
}

/** A canvas with a scene on it; a sentence where the browser draws no 3D. */
export function StageCanvas({ label, onReady, smooth = true, children, className = "" }: StageCanvasProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const ready = useRef(onReady);
  const smoothed = useRef(smooth);
  const [drawn] = useState(draws3d);
  useEffect(() => {
    if (canvas.current === null || !drawn) return;
    const stage = new Stage(canvas.current, smoothed.current);
    const end = ready.current(stage);
    return () => {
      end?.();
      stage.dispose();
    };
  }, [drawn]);
  return (
    <div className={`relative overflow-hidden bg-base-200 ${className}`}>
      <canvas ref={canvas} className="absolute inset-0 h-full w-full touch-none" aria-label={label} role="img" tabIndex={-1} />
      {!drawn && (
        <p className="absolute inset-x-4 top-1/3 text-center">
          <Trans>
            This browser draws no 3D here. All figures beside it still hold; another browser, or one with its graphics switched
            on, shows the picture.
          </Trans>
        </p>
      )}
      {children}
    </div>
  );
}

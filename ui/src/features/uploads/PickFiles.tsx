import { useRef } from "react";

interface PickFilesProps {
  /** What the button says. */
  name: string;
  /** What the field is called. */
  label: string;
  onFiles: (files: File[]) => void;
}

/** A button that asks for part files of every kind that is read. */
export function PickFiles({ name, label, onFiles }: PickFilesProps) {
  const picker = useRef<HTMLInputElement>(null);
  return (
    <>
      <button type="button" className="btn btn-accent btn-sm" onClick={() => picker.current?.click()}>
        {name}
      </button>
      <input
        ref={picker}
        type="file"
        multiple
        accept=".stl,.obj,.3mf,.ply,.step,.stp,.zip"
        className="hidden"
        aria-label={label}
        onChange={(event) => {
          onFiles([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
    </>
  );
}

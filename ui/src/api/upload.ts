import { checkConnection } from "../lib/connection";
import { tokenHeader } from "../lib/gate";
import { settled } from "../lib/inLine";
import { asProblem, ProblemError, type Part, type RecipeColumn } from "./client";

export type Unit = "auto" | "mm" | "cm" | "inch" | "m";

/** Send a part file; `member` names one model of an archive. */
export function uploadPart(file: File, unit: Unit, member: string, onSent: (share: number) => void): Promise<Part> {
  return upload<Part>("/api/parts", { file, unit, member }, onSent);
}

/** Send a G-code file to be replayed next to a part's recipes. */
export async function uploadGcode(partId: number, file: File, onSent: (share: number) => void): Promise<RecipeColumn> {
  await settled(); // it is replayed with the first column's machine and nozzle
  return upload<RecipeColumn>(`/api/parts/${partId}/gcode`, { file }, onSent);
}

/** Send a form. XMLHttpRequest, because fetch does not tell how much has been sent. */
function upload<Made>(path: string, fields: Record<string, string | Blob>, onSent: (share: number) => void): Promise<Made> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", path);
    for (const [name, value] of Object.entries(tokenHeader())) request.setRequestHeader(name, value);
    request.responseType = "json";
    request.upload.onprogress = (event) => {
      if (event.lengthComputable) onSent(event.loaded / event.total);
    };
    request.onerror = () => {
      checkConnection();
      reject(new ProblemError(asProblem(null, 0)));
    };
    request.onload = () => {
      const answer: unknown = request.response;
      if (request.status === 201) resolve(answer as Made);
      else reject(new ProblemError(asProblem(answer, request.status)));
    };
    const form = new FormData();
    for (const [name, value] of Object.entries(fields)) form.append(name, value);
    request.send(form);
  });
}

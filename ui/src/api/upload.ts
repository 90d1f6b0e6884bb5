import { asProblem, ProblemError, type Part } from "./client";

export type Unit = "auto" | "mm" | "cm" | "inch" | "m";

/** Send a part file. XMLHttpRequest, because fetch does not tell how much has been sent. */
export function uploadPart(file: File, unit: Unit, onSent: (share: number) => void): Promise<Part> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", "/api/parts");
    request.responseType = "json";
    request.upload.onprogress = (event) => {
      if (event.lengthComputable) onSent(event.loaded / event.total);
    };
    request.onerror = () => reject(new ProblemError(asProblem(null, 0)));
    request.onload = () => {
      const answer: unknown = request.response;
      if (request.status === 201) resolve(answer as Part);
      else reject(new ProblemError(asProblem(answer, request.status)));
    };
    const form = new FormData();
    form.append("file", file);
    form.append("unit", unit);
    request.send(form);
  });
}

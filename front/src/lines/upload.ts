import type { Schemas } from "../api/client";

/** What was answered; `status` 0: nothing was. */
export type Answered = { status: number; body: Partial<Schemas["DesignsMade"]> & { title?: string; do?: string } };

export const NO_ANSWER = "Etiquette is not answering.";

/** Art sent to the server; `share` hears how much of it is there. */
export function upload(
  method: "POST" | "PUT",
  path: string,
  form: FormData,
  { share, signal }: { share?: (share: number) => void; signal?: AbortSignal },
): Promise<Answered> {
  return new Promise((answered) => {
    const request = new XMLHttpRequest();
    request.upload.onprogress = (event) => share?.(event.lengthComputable ? event.loaded / event.total : 0);
    request.onload = () => answered({ status: request.status, body: readBody(request.responseText) });
    request.onerror = request.onabort = () => answered({ status: 0, body: {} });
    signal?.addEventListener("abort", () => request.abort());
    request.open(method, path);
    request.send(form);
  });
}

/** Something between here and Etiquette may answer in another way than it does. */
function readBody(text: string): Answered["body"] {
  try {
    return JSON.parse(text) as Answered["body"];
  } catch {
    return {};
  }
}

import { Problem, type Schemas } from "@/shared/api/client";
import { behindDoor } from "@/shared/api/door";

export type Upload = { sent: number; total: number; secondsLeft: number | null };

/** Sends an archive as the body of a request, telling how far it is; XMLHttpRequest is what tells. */
export function uploadArchive(file: File, name: string, tell: (now: Upload) => void) {
  const request = new XMLHttpRequest();
  const begun = performance.now();
  const query = new URLSearchParams({ file_name: file.name, name });
  const site = new Promise<Schemas["Site"]>((resolve, reject) => {
    request.upload.onprogress = (event) => {
      const seconds = (performance.now() - begun) / 1000;
      const rate = event.loaded / Math.max(seconds, 0.1);
      const left = seconds > 1 && rate > 0 ? (file.size - event.loaded) / rate : null;
      tell({ sent: event.loaded, total: file.size, secondsLeft: left });
    };
    request.onload = () => {
      let answer: unknown;
      try {
        answer = JSON.parse(request.responseText);
      } catch {
        answer = {};
      }
      if (request.status === 201) resolve(answer as Schemas["Site"]);
      else {
        const detail = (answer as Partial<Schemas["Problem"]>).detail;
        reject(new Problem(detail ?? `The upload ended with ${request.status}.`, "upload", request.status));
      }
    };
    request.onerror = () => reject(new Problem("The upload broke off; send the archive again.", "upload", 0));
    request.onabort = () => reject(new Problem("Stopped.", "stopped", 0));
    request.open("PUT", behindDoor(`/api/v1/sites/from-archive?${query}`));
    tell({ sent: 0, total: file.size, secondsLeft: null });
    request.send(file);
  });
  return { site, stop: () => request.abort() };
}

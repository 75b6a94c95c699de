/** Sending a file to the server, with its progress and a way to stop. */
import { Refused, type Schema, shownCampaign } from "../api/client";

export type Sent = Schema["Sent"];

export type Sending = { done: Promise<Sent>; stop: () => void };

/** Sends a file as it is; browsers tell the progress of what is sent only this way. */
export function send(file: File, told: (share: number) => void): Sending {
  const request = new XMLHttpRequest();
  const done = new Promise<Sent>((good, bad) => {
    request.upload.onprogress = (e) => told(e.total ? e.loaded / e.total : 0);
    request.onload = () => {
      let body: { says?: string } | Sent;
      try {
        body = JSON.parse(request.responseText);
      } catch {
        body = {};
      }
      if (request.status === 200) good(body as Sent);
      else bad(new Refused((body as { says?: string }).says ?? `The server answered ${request.status}.`));
    };
    request.onerror = () => bad(new Refused("The file did not come to its end: the server does not answer."));
    request.onabort = () => bad(new Refused("stopped"));
    request.open("POST", `/api/files?name=${encodeURIComponent(file.name)}`);
    request.setRequestHeader("content-type", "application/octet-stream");
    const campaign = shownCampaign();
    if (campaign !== undefined) request.setRequestHeader("x-campaign", String(campaign));
    request.send(file);
  });
  return { done, stop: () => request.abort() };
}

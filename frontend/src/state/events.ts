/** The page's events: each says what changed, and what is cached of it is fetched anew. */
import { useEffect } from "react";
import { client, keys } from "./queries";

interface Happening {
  kind: string;
  shot?: number;
  take?: number;
}

const PACE = 400; // ms between two fetches of the same thing while frames come in

/** Listen while the page is open. */
export function useEvents(): void {
  useEffect(() => {
    const waiting = new Map<string, number>();
    const soon = (key: readonly unknown[]) => {
      const name = JSON.stringify(key);
      if (waiting.has(name)) return;
      const fetchNow = () => {
        waiting.delete(name);
        void client.invalidateQueries({ queryKey: key });
      };
      waiting.set(name, window.setTimeout(fetchNow, PACE));
    };
    const stop = hear(
      (data) => {
        for (const key of touched(JSON.parse(data) as Happening)) soon(key);
      },
      () => {
        soon(keys.workroom);
      },
    );
    return () => {
      stop();
      waiting.forEach((timer) => {
        window.clearTimeout(timer);
      });
    };
  }, []);
}

/** Listen through the stream that all tabs share, or through one of our own where a browser cannot share. */
function hear(event: (data: string) => void, lost: () => void): () => void {
  if (typeof SharedWorker === "undefined") {
    const source = new EventSource("/api/events");
    source.onmessage = (message: MessageEvent<string>) => {
      event(message.data);
    };
    source.onerror = lost;
    return () => {
      source.close();
    };
  }
  const { port } = new SharedWorker(new URL("./eventsWorker.ts", import.meta.url), { type: "module", name: "events" });
  port.onmessage = ({ data }: MessageEvent<{ event?: string; lost?: boolean }>) => {
    if (data.event !== undefined) event(data.event);
    if (data.lost === true) lost();
  };
  const close = () => {
    port.postMessage("gone");
    port.close();
  };
  const hidden = (change: PageTransitionEvent) => {
    if (!change.persisted) close(); // a page that may come back goes on listening
  };
  window.addEventListener("pagehide", hidden);
  return () => {
    window.removeEventListener("pagehide", hidden);
    close();
  };
}

/** The cached things that an event makes out of date. */
export function touched(event: Happening): (readonly unknown[])[] {
  const { kind, shot = 0, take } = event;
  switch (kind) {
    case "shots":
      return [keys.shots];
    case "shot":
      return [keys.shot(shot), keys.takes(shot), keys.shots];
    case "take":
      return take === undefined ? [keys.takes(shot)] : [keys.takes(shot), keys.pulse(take), keys.mending(take)];
    case "progress":
      return take === undefined ? [keys.takes(shot)] : [keys.takes(shot), keys.pulse(take)];
    case "mending":
      return take === undefined ? [[]] : [keys.mending(take)];
    case "delivery":
      return [keys.deliveries(shot)];
    default:
      return [[]]; // the database came or went, or this page was left behind: everything
  }
}

/** The page's one stream of events: each says what changed, and what is cached of it is fetched anew. */
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
    const source = new EventSource("/api/events");
    source.onmessage = (message: MessageEvent<string>) => {
      const event = JSON.parse(message.data) as Happening;
      for (const key of touched(event)) soon(key);
    };
    source.onerror = () => {
      soon(keys.workroom);
    };
    return () => {
      source.close();
      waiting.forEach((timer) => {
        window.clearTimeout(timer);
      });
    };
  }, []);
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
    case "progress":
      return take === undefined ? [keys.takes(shot)] : [keys.takes(shot), keys.pulse(take)];
    case "delivery":
      return [keys.deliveries(shot)];
    default:
      return [[]]; // the database came or went, or this page was left behind: everything
  }
}

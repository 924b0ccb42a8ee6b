/** One stream of events for all tabs of a browser, which allows few connections to one place. */

interface Port {
  postMessage(message: unknown): void;
  onmessage: ((message: MessageEvent) => void) | null;
}

const ports = new Set<Port>();

function tell(message: unknown): void {
  for (const port of ports) port.postMessage(message);
}

let source: EventSource | null = null;

function listen(): void {
  if (source !== null && source.readyState !== EventSource.CLOSED) return;
  source = new EventSource("/api/events");
  source.onmessage = (message: MessageEvent<string>) => {
    tell({ event: message.data });
  };
  source.onerror = () => {
    tell({ lost: true });
    // A browser gives up after an answer that is no stream, as while the house starts: try again.
    if (source?.readyState === EventSource.CLOSED) setTimeout(listen, 2000);
  };
}

(self as unknown as { onconnect: (event: { ports: readonly Port[] }) => void }).onconnect = ({ ports: [port] }) => {
  if (port === undefined) return;
  ports.add(port);
  port.onmessage = ({ data }: MessageEvent<string>) => {
    if (data === "gone") ports.delete(port);
  };
  listen();
};

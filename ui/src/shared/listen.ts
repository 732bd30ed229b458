/** What the server says that happened. */
export interface Change {
  topic: string;
  /** Of what changed. */
  id: number;
  /** The run that changed it, on its way; 0 for what a person did. */
  run: number;
  note: string;
}

/** That others may have been missed: everything may be stale. */
const everything: Change = { topic: 'everything', id: 0, run: 0, note: '' };

/** The server says that it is there every 15 seconds; a stream that is silent for longer leads nowhere. */
const silence = 40_000;

const name = 'ambrosa events';

/**
 * Hears what happens at the server, until the function is called that it returns. Of several tabs of a
 * browser one listens, and tells the others: a browser has six connections for all of its tabs together.
 */
export function listen(heard: (change: Change) => void): () => void {
  const channel = 'BroadcastChannel' in window ? new BroadcastChannel(name) : undefined;
  const tell = (change: Change) => {
    heard(change);
    channel?.postMessage(change);
  };
  channel?.addEventListener('message', (message: MessageEvent<Change>) => heard(message.data));
  const leaving = new AbortController();
  let stop: (() => void) | undefined;
  const lead = () =>
    new Promise<void>((leave) => {
      const close = stream(tell);
      stop = () => {
        close();
        leave();
      };
    });
  // Locks are there on secure pages only; a tab of another hears by itself.
  if (channel && 'locks' in navigator)
    navigator.locks.request(name, { signal: leaving.signal }, lead).catch(() => undefined);
  else void lead();
  return () => {
    leaving.abort();
    stop?.();
    channel?.close();
  };
}

/** Hears the server itself, over a connection that is made again when it leads nowhere. */
function stream(tell: (change: Change) => void): () => void {
  let source: EventSource | undefined;
  let silent: number | undefined;
  const alive = () => {
    window.clearTimeout(silent);
    silent = window.setTimeout(open, silence);
  };
  const open = () => {
    source?.close();
    source = new EventSource('/api/v1/events');
    source.addEventListener('change', (event: MessageEvent<string>) => {
      alive();
      const change = read(event.data);
      if (change) tell(change);
    });
    source.addEventListener('beat', alive);
    // What happened before it was open was told to nobody.
    source.onopen = () => tell(everything);
    alive();
  };
  open();
  return () => {
    window.clearTimeout(silent);
    source?.close();
  };
}

function read(text: string): Change | undefined {
  const change: unknown = JSON.parse(text);
  if (typeof change !== 'object' || change === null || !('topic' in change)) return undefined;
  return { ...everything, ...change } as Change;
}

import * as tus from 'tus-js-client';
import { createLot, getLot, type Target } from '../client';

/** Chunks are small enough to be held by the server, and large enough to be fast. */
const chunk = 8 * 1024 * 1024;

export interface Sending {
  lot: number;
  name: string;
  done: number;
  total: number;
  files: number;
  finished: number;
  problem: string;
}

export interface Picked {
  file: File;
  path: string;
}

type Watcher = (sending: Sending[]) => void;

let current: Sending[] = [];
const watchers = new Set<Watcher>();

function change(lot: number, next: Partial<Sending>) {
  current = current.map((s) => (s.lot === lot ? { ...s, ...next } : s));
  for (const watch of watchers) watch(current);
}

/** Tells how far uploads from this page are, also while another view is open. */
export function watchUploads(watch: Watcher): () => void {
  watchers.add(watch);
  watch(current);
  return () => {
    watchers.delete(watch);
  };
}

const archive = /\.(zip|7z|rar|tar|tgz|tar\.(gz|bz2|xz|zst))$/i;

/** Splits what was dropped into lots: every archive is one, all loose files together are one. */
export function lotsOf(picked: Picked[]): { name: string; files: Picked[] }[] {
  const lots = picked.filter((p) => archive.test(p.path)).map((p) => ({ name: p.file.name, files: [p] }));
  const loose = picked.filter((p) => !archive.test(p.path));
  const first = loose[0];
  if (first) {
    const folder = first.path.split('/')[0] ?? '';
    const named =
      loose.length === 1
        ? first.file.name
        : loose.every((p) => p.path.startsWith(`${folder}/`))
          ? folder
          : `${loose.length} files`;
    lots.push({ name: named, files: loose });
  }
  return lots;
}

/** Where uploads go: how a lot is opened there, and what each upload says of itself. */
export interface Gate {
  endpoint: string;
  open: (name: string, uploads: number) => Promise<number>;
  says: Record<string, string>;
  mayAskForLots: boolean;
}

const ownGate: Gate = {
  endpoint: '/uploads/',
  says: {},
  mayAskForLots: true,
  open: async (name, uploads) => (await createLot({ body: { name, uploads }, throwOnError: true })).data.id,
};

/** A gate whose lots are of pictures of what has a barcode. */
export const gateOf = (barcode: string): Gate => ({
  ...ownGate,
  mayAskForLots: false,
  open: async (name, uploads) =>
    (await createLot({ body: { name, uploads, barcode }, throwOnError: true })).data.id,
});

/** A gate whose lots are put on a target by themselves. */
export const targetGate = (target: Target): Gate => ({
  ...ownGate,
  mayAskForLots: false,
  open: async (name, uploads) =>
    (await createLot({ body: { name, uploads, target }, throwOnError: true })).data.id,
});

/** A gate whose lots go to the shelf by themselves, into a folder of it. */
export const shelfGate = (shelf: string): Gate => ({
  ...ownGate,
  mayAskForLots: false,
  open: async (name, uploads) =>
    (await createLot({ body: { name, uploads, shelf }, throwOnError: true })).data.id,
});

/** Uploads a lot's files; what was sent before a broken connection or a reload is not sent again. */
export async function send(name: string, files: Picked[], gate = ownGate): Promise<void> {
  const single = files.length === 1 ? files[0] : undefined;
  const before = single ? await resumable(single, gate) : undefined;
  const begun = single && gate.mayAskForLots ? await begunLot(single.file) : undefined;
  const lot = before?.lot ?? begun ?? (await gate.open(name, files.length));
  if (single) localStorage.setItem(lotKey(single.file), String(lot));
  const total = files.reduce((sum, p) => sum + p.file.size, 0);
  current = [
    ...current.filter((s) => s.lot !== lot),
    { lot, name, done: 0, total, files: files.length, finished: 0, problem: '' },
  ];
  change(lot, {});
  const sent = new Map<Picked, number>();
  const queue = [...files];
  const worker = async () => {
    for (let next = queue.shift(); next; next = queue.shift()) {
      const picked = next;
      await upload(picked, lot, gate, before?.upload, (bytes) => {
        sent.set(picked, bytes);
        change(lot, { done: [...sent.values()].reduce((a, b) => a + b, 0) });
      });
      change(lot, { finished: (current.find((s) => s.lot === lot)?.finished ?? 0) + 1 });
    }
  };
  try {
    await Promise.all([worker(), worker(), worker()]);
    if (single) localStorage.removeItem(lotKey(single.file));
    current = current.filter((s) => s.lot !== lot);
    change(lot, {});
  } catch (error) {
    change(lot, { problem: problemOf(error) });
    throw error;
  }
}

function problemOf(error: unknown): string {
  if (error instanceof tus.DetailedError && error.originalResponse)
    return error.originalResponse
      .getBody()
      .replace(/^ERR_AMBROSA: /, '')
      .trim();
  return 'The connection broke. Drop the same files again: what was sent is not sent twice.';
}

const lotKey = (file: File) => `lot ${file.name} ${file.size} ${file.lastModified}`;

/**
 * The lot that this browser made for a file before, when it still waits: the answer to the upload's first
 * request may never have come.
 */
async function begunLot(file: File): Promise<number | undefined> {
  const id = Number(localStorage.getItem(lotKey(file)));
  if (!id || current.some((s) => s.lot === id)) return undefined;
  const { data } = await getLot({ path: { id } });
  return data?.state === 'receiving' && data.arrived === 0 ? id : undefined;
}

async function resumable(
  picked: Picked,
  gate: Gate,
): Promise<{ lot: number; upload: tus.PreviousUpload } | undefined> {
  const earlier = await new tus.Upload(picked.file, { endpoint: gate.endpoint }).findPreviousUploads();
  for (const upload of earlier) {
    const lot = Number(upload.metadata['lot']);
    if (
      upload.uploadUrl &&
      lot &&
      (await fetch(upload.uploadUrl, { method: 'HEAD', headers: { 'Tus-Resumable': '1.0.0' } })).ok
    )
      return { lot, upload };
  }
  return undefined;
}

function upload(
  picked: Picked,
  lot: number,
  gate: Gate,
  previous: tus.PreviousUpload | undefined,
  progress: (bytes: number) => void,
): Promise<void> {
  return new Promise((resolve, reject) => {
    const sending = new tus.Upload(picked.file, {
      endpoint: gate.endpoint,
      chunkSize: chunk,
      retryDelays: [0, 500, 1500, 4000, 8000, 15000],
      metadata: { ...gate.says, lot: String(lot), path: picked.path },
      removeFingerprintOnSuccess: true,
      onProgress: progress,
      onSuccess: () => resolve(),
      onError: reject,
    });
    if (previous) sending.resumeFromPreviousUpload(previous);
    sending.start();
  });
}

/** Reads everything out of a drop, folders with what is below them. */
export async function pickedFrom(transfer: DataTransfer): Promise<Picked[]> {
  const entries = [...transfer.items]
    .map((item) => item.webkitGetAsEntry())
    .filter((entry) => entry !== null);
  if (entries.length === 0) return [...transfer.files].map((file) => ({ file, path: file.name }));
  return (await Promise.all(entries.map((entry) => walk(entry, '')))).flat();
}

async function walk(entry: FileSystemEntry, folder: string): Promise<Picked[]> {
  const path = folder + entry.name;
  if (entry instanceof FileSystemFileEntry) {
    return [{ file: await new Promise<File>((resolve, reject) => entry.file(resolve, reject)), path }];
  }
  if (!(entry instanceof FileSystemDirectoryEntry)) return [];
  const reader = entry.createReader();
  const found: Picked[] = [];
  for (;;) {
    const children = await new Promise<FileSystemEntry[]>((resolve, reject) =>
      reader.readEntries(resolve, reject),
    );
    if (children.length === 0) return found;
    for (const child of children) found.push(...(await walk(child, `${path}/`)));
  }
}

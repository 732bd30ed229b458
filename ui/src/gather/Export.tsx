import { Button, Modal, SegmentedControl } from '@mantine/core';
import { useState } from 'react';
import { ColumnChoice } from '../shared/ColumnChoice';

const all: [string, string][] = [
  ['path', 'File'],
  ['code', 'SKU'],
  ['title', 'Product'],
  ['verdict', 'Verdict'],
  ['reason', 'Reason'],
  ['place', 'Place'],
  ['view', 'View'],
  ['width', 'Width'],
  ['height', 'Height'],
  ['bytes', 'Bytes'],
  ['type', 'Type'],
  ['marks', 'Marks'],
  ['rights', 'Rights'],
  ['licence', 'Licence'],
  ['credit', 'Credit'],
  ['creator', 'Creator'],
  ['notice', 'Copyright notice'],
  ['address', 'Address'],
  ['sum', 'SHA-256'],
];
const usual = ['path', 'code', 'verdict', 'width', 'height', 'bytes', 'marks', 'rights'];
const key = 'ambrosa.export';

interface Kept {
  columns: string[];
  format: string;
}

function kept(): Kept {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(key) ?? '');
    if (
      typeof found === 'object' &&
      found !== null &&
      'columns' in found &&
      Array.isArray(found.columns) &&
      'format' in found
    )
      return found as Kept;
  } catch {
    /* nothing usable is kept */
  }
  return { columns: usual, format: 'xlsx' };
}

/** Writes the files that are shown as CSV or XLSX, with columns chosen and ordered once and remembered. */
export function Export({
  open,
  onClose,
  lot,
  query,
}: {
  open: boolean;
  onClose: () => void;
  lot: number;
  query: Record<string, string>;
}) {
  const [choice, setChoice] = useState(kept);
  const set = (change: Partial<Kept>) =>
    setChoice((before) => {
      const after = { ...before, ...change };
      localStorage.setItem(key, JSON.stringify(after));
      return after;
    });
  const asked = new URLSearchParams({ ...query, format: choice.format, columns: choice.columns.join(',') });
  const address = `/media/lots/${lot}/list?${asked.toString()}`;
  return (
    <Modal opened={open} onClose={onClose} title="Export the files that are shown">
      <div className="columns loosely">
        <SegmentedControl
          aria-label="Format"
          value={choice.format}
          onChange={(format) => set({ format })}
          data={[
            { value: 'xlsx', label: 'XLSX, with thumbnails' },
            { value: 'csv', label: 'CSV' },
          ]}
        />
        <ColumnChoice all={all} chosen={choice.columns} onChoose={(columns) => set({ columns })} />
        <div className="spread">
          <Button
            component="a"
            href={address}
            variant="filled"
            disabled={choice.columns.length === 0}
            onClick={onClose}
          >
            Export
          </Button>
          <Button onClick={onClose}>Leave it</Button>
        </div>
      </div>
    </Modal>
  );
}

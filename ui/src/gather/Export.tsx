import { ActionIcon, Button, Checkbox, Modal, SegmentedControl } from '@mantine/core';
import { IconArrowDown, IconArrowUp } from '@tabler/icons-react';
import { useState } from 'react';
import css from './Export.module.css';

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
  const rest = all.filter(([name]) => !choice.columns.includes(name));
  const move = (name: string, by: number) => {
    const list = [...choice.columns];
    const i = list.indexOf(name);
    const j = i + by;
    if (j < 0 || j >= list.length) return;
    list.splice(i, 1);
    list.splice(j, 0, name);
    set({ columns: list });
  };
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
        <div className={`sheet scroll ${css.columnList}`}>
          {choice.columns.map((name) => (
            <div key={name} className={`row ${css.columnLine}`}>
              <Checkbox
                size="xs"
                checked
                label={all.find(([n]) => n === name)?.[1] ?? name}
                onChange={() => set({ columns: choice.columns.filter((c) => c !== name) })}
              />
              <ActionIcon aria-label={`${name} further up`} onClick={() => move(name, -1)}>
                <IconArrowUp size={15} />
              </ActionIcon>
              <ActionIcon aria-label={`${name} further down`} onClick={() => move(name, 1)}>
                <IconArrowDown size={15} />
              </ActionIcon>
            </div>
          ))}
          {rest.map(([name, label]) => (
            <div key={name} className="row">
              <Checkbox
                size="xs"
                checked={false}
                label={label}
                onChange={() => set({ columns: [...choice.columns, name] })}
              />
            </div>
          ))}
        </div>
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

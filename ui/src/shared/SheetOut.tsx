import { Button, FileButton, Modal, NumberInput, SegmentedControl, TextInput } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { ColumnChoice } from './ColumnChoice';
import { said } from './format';
import { handBack } from './handBack';
import { tell } from './tell';

/** How rows go out; kept for the next time. */
interface Kept {
  columns: string[];
  format: 'xlsx' | 'csv' | 'into';
  pictures: number; // longer side, pixels; 0 for none
  worksheet: string;
  from: string;
}

/** The largest that pictures in cells can be, pixels. */
const mostPixels = 320;

interface Props {
  title: string;
  /** Names of columns, and what they are called. */
  all: [name: string, label: string][];
  usual: string[];
  /** The name under which the choice is kept. */
  keptAs: string;
  /** Columns that always go along. */
  always?: string[];
  /** Where the rows are written, with chosen columns. */
  address: (columns: string[]) => string;
  pictures: number;
  onClose: () => void;
  /** What is said above. */
  children?: ReactNode;
  /** What else can be done with the format. */
  beside?: (format: string) => ReactNode;
}

/** Takes rows out as a sheet, with columns chosen and ordered once: alone, or into a workbook. */
export function SheetOut(props: Props) {
  const { title, all, usual, keptAs, always = [], address, onClose, children, beside } = props;
  const [choice, set] = useKept(keptAs, {
    columns: usual,
    format: 'xlsx',
    pictures: props.pictures,
    worksheet: '',
    from: '',
  });
  const known = choice.columns.filter((name) => all.some(([n]) => n === name));
  const columns = [...always.filter((name) => !known.includes(name)), ...known];
  const asked = (format: string) => {
    const at = address(columns);
    return `${at}${at.includes('?') ? '&' : '?'}format=${format}&pictures=${choice.pictures}`;
  };
  return (
    <Modal opened onClose={onClose} title={title}>
      <div className="columns loosely">
        {children}
        <SegmentedControl
          aria-label="Format"
          value={choice.format}
          onChange={(format) => set({ format: format as Kept['format'] })}
          data={[
            { value: 'xlsx', label: 'XLSX' },
            { value: 'csv', label: 'CSV' },
            { value: 'into', label: 'Into a workbook that is there' },
          ]}
        />
        {choice.format !== 'csv' && (
          <NumberInput
            label="Pictures in the cells, longer side"
            placeholder="none"
            suffix=" px"
            min={0}
            max={mostPixels}
            allowDecimal={false}
            value={choice.pictures || ''}
            onChange={(n) => set({ pictures: Math.min(mostPixels, Number(n)) })}
          />
        )}
        {choice.format === 'into' && <Where choice={choice} onChange={set} />}
        <ColumnChoice all={all} chosen={columns} onChoose={(list) => set({ columns: list })} />
        <div className="spread">
          {choice.format === 'into' ? (
            <Into
              address={asked('xlsx')}
              where={{ worksheet: choice.worksheet, from: choice.from }}
              disabled={columns.length === 0}
              onDone={onClose}
            />
          ) : (
            <Button
              component="a"
              href={asked(choice.format)}
              variant="filled"
              disabled={columns.length === 0}
              onClick={onClose}
            >
              Take out
            </Button>
          )}
          {choice.format !== 'into' && beside?.(choice.format)}
          <Button onClick={onClose}>Leave it</Button>
        </div>
      </div>
    </Modal>
  );
}

interface WhereProps {
  choice: Pick<Kept, 'worksheet' | 'from'>;
  onChange: (change: Partial<Kept>) => void;
}

/** Where in a workbook the rows go. */
export function Where({ choice, onChange }: WhereProps) {
  return (
    <>
      <p className="quiet flush">
        They go below what stands in it, each cell in the column of its title; new titles stand behind the
        last. The workbook is handed back, the rest of it as it was.
      </p>
      <div className="halves">
        <TextInput
          label="Worksheet"
          placeholder="the first"
          value={choice.worksheet}
          onChange={(e) => onChange({ worksheet: e.currentTarget.value })}
        />
        <TextInput
          label="From a cell of one’s own"
          placeholder="below what stands; else as B7"
          value={choice.from}
          onChange={(e) => onChange({ from: e.currentTarget.value })}
        />
      </div>
    </>
  );
}

interface IntoProps {
  address: string;
  where: Record<string, string>;
  disabled: boolean;
  onDone: () => void;
}

/** Takes the workbook, has the rows put into it, and hands it back. */
export function Into({ address, where, disabled, onDone }: IntoProps) {
  const putting = useMutation({
    mutationFn: (workbook: File) => handBack(address, workbook, where),
    onError: (e) => tell('The workbook is as it was', said(e), true),
    onSuccess: (words, workbook) => {
      onDone();
      tell(`${workbook.name} is handed back`, `${words}. What else stands in it is as it was.`);
    },
  });
  return (
    <FileButton accept=".xlsx" onChange={(file) => file && putting.mutate(file)}>
      {(props) => (
        <Button {...props} variant="filled" disabled={disabled} loading={putting.isPending}>
          Choose the workbook…
        </Button>
      )}
    </FileButton>
  );
}

/** A choice that is kept in this browser under a name. */
function useKept(name: string, usual: Kept): [Kept, (change: Partial<Kept>) => void] {
  const [choice, setChoice] = useState<Kept>(() => {
    try {
      const found: unknown = JSON.parse(localStorage.getItem(name) ?? '');
      if (typeof found === 'object' && found !== null) return { ...usual, ...found };
    } catch {
      /* nothing usable is kept */
    }
    return usual;
  });
  const set = (change: Partial<Kept>) =>
    setChoice((before) => {
      const after = { ...before, ...change };
      localStorage.setItem(name, JSON.stringify(after));
      return after;
    });
  return [choice, set];
}

import { Button } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { Sheet } from '../client';
import {
  giveUpSheetMutation,
  listSheetsOptions,
  restoreSheetMutation,
} from '../client/@tanstack/react-query.gen';
import { bytes, said, some, when } from '../shared/format';
import { Empty, Failed } from '../shared/State';
import { tell, tellWithUndo } from '../shared/tell';
import { bring } from './bring';
import { RowMark } from './RowMark';
import css from './Sheets.module.css';
import { rowVerdicts } from './words';

/** The spreadsheets that came, and where new ones are dropped. */
export function Sheets() {
  const sheets = useQuery(listSheetsOptions());
  return (
    <div className="scroll">
      <div className={`pad ${css.page}`}>
        <DropSheet />
        <section className="sheet" aria-label="Sheets">
          <h2>Sheets that came</h2>
          {sheets.error ? (
            <Failed error={sheets.error} again={() => void sheets.refetch()} />
          ) : sheets.data?.items.length === 0 ? (
            <Empty title="No sheet has come yet.">
              Drop what you got: a list of products, of pictures or of categories. Nothing is changed before
              you have seen every row.
            </Empty>
          ) : (
            sheets.data?.items.map((s) => <SheetLine key={s.id} sheet={s} />)
          )}
        </section>
      </div>
    </div>
  );
}

/** Takes a spreadsheet that is dropped or chosen, and opens it. */
function DropSheet() {
  const [over, setOver] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const bringing = useMutation({
    mutationFn: bring,
    onError: (e) => tell('Not taken', said(e), true),
  });
  const take = (files: FileList | null) => {
    const list = [...(files ?? [])];
    list.forEach((file, i) =>
      bringing.mutate(file, {
        onSuccess: (id) => {
          if (i === list.length - 1) void navigate(`/sheets/${id}`);
        },
      }),
    );
  };
  return (
    <section
      className={`drop${over ? ' over' : ''}`}
      aria-label="Drop a spreadsheet here"
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        take(e.dataTransfer.files);
      }}
    >
      <strong>Drop a spreadsheet, as it came</strong>
      <span className="quiet">
        XLSX or CSV, with any headers, in any encoding. It is read and rehearsed; nothing changes until you
        import.
      </span>
      <div className="spread">
        <Button variant="filled" loading={bringing.isPending} onClick={() => input.current?.click()}>
          Choose a spreadsheet
        </Button>
      </div>
      <input
        ref={input}
        type="file"
        multiple
        hidden
        accept=".xlsx,.xlsm,.csv,.txt,.tsv"
        data-testid="sheet"
        aria-label="Spreadsheet"
        onChange={(e) => {
          take(e.currentTarget.files);
          e.currentTarget.value = '';
        }}
      />
    </section>
  );
}

function SheetLine({ sheet }: { sheet: Sheet }) {
  const client = useQueryClient();
  const fresh = () => void client.invalidateQueries();
  const restore = useMutation({ ...restoreSheetMutation(), onSuccess: fresh });
  const giveUp = useMutation({
    ...giveUpSheetMutation(),
    onError: (e) => tell('Not given up', said(e), true),
    onSuccess: () => {
      fresh();
      tellWithUndo(`${sheet.name} is out of the way. What it imported stays.`, () =>
        restore.mutate({ path: { id: sheet.id } }),
      );
    },
  });
  return (
    <div className={`row pick ${css.line}`}>
      <Link className="link clip strong" to={`/sheets/${sheet.id}`} title={sheet.name}>
        {sheet.name}
      </Link>
      <span className="quiet num">{some(sheet.rows, 'row')}</span>
      <Standing sheet={sheet} />
      <span className="quiet num">{bytes(sheet.bytes)}</span>
      <span className="quiet num">{when(sheet.createdAt)}</span>
      <Button size="compact-xs" onClick={() => giveUp.mutate({ path: { id: sheet.id } })}>
        Give up
      </Button>
    </div>
  );
}

/** How a sheet stands: what its rehearsal found, or why it cannot be judged. */
function Standing({ sheet }: { sheet: Sheet }) {
  if (sheet.state === 'reading') return <span className="quiet">being read …</span>;
  if (sheet.state === 'unreadable')
    return (
      <span className="bad clip" title={sheet.problem}>
        {sheet.problem}
      </span>
    );
  if (sheet.problem)
    return (
      <span className="clip" title={sheet.problem}>
        waits for its mapping
      </span>
    );
  if (sheet.rehearsed === 0) return <span className="quiet">being rehearsed …</span>;
  return (
    <span className="spread">
      {rowVerdicts
        .filter(([v]) => (sheet.totals.verdicts[v] ?? 0) > 0)
        .map(([v, words]) => (
          <span key={v} className="verdict">
            <RowMark verdict={v} />
            {sheet.totals.verdicts[v]?.toLocaleString('en')} <span className="quiet">{words}</span>
          </span>
        ))}
    </span>
  );
}

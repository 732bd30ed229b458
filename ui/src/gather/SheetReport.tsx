import { Button, Modal } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { Fragment, useState } from 'react';
import { Link } from 'react-router';
import type { LotSheet, SheetOfLot } from '../client';
import { getLotSheetOptions } from '../client/@tanstack/react-query.gen';
import { count, some } from '../shared/format';
import css from './SheetReport.module.css';

/** The sheets that came with a lot: which rows find no file, and which files no row names. */
export function SheetReport({ lot }: { lot: number }) {
  const sheet = useQuery(getLotSheetOptions({ path: { id: lot } })).data;
  const [open, setOpen] = useState(false);
  if (!sheet || (sheet.sheets.length === 0 && sheet.rows === 0)) return null;
  const clean = sheet.left + sheet.unnamed === 0;
  return (
    <div className={`note spread${sheet.left > 0 ? ' warn' : ''} beside-edge`}>
      <span>
        {sheet.sheets.length === 0 && 'A sheet'}
        {sheet.sheets.map((s, i) => (
          <Fragment key={s.id}>
            {i > 0 && ', '}
            <Link to={`/sheets/${s.id}`}>{s.name}</Link>
          </Fragment>
        ))}{' '}
        came with it.{' '}
        {sheet.rows === 0 ? <NoNames sheets={sheet.sheets} /> : <Names sheet={sheet} clean={clean} />}
      </span>
      {sheet.rows > 0 && !clean && (
        <Button className="push" onClick={() => setOpen(true)}>
          Which?
        </Button>
      )}
      <Modal opened={open} onClose={() => setOpen(false)} title="The sheet against the files" size="xl">
        {open && <Lists sheet={sheet} />}
      </Modal>
    </div>
  );
}

function NoNames({ sheets }: { sheets: SheetOfLot[] }) {
  const problem = sheets.find((s) => s.problem)?.problem;
  if (problem) return <>{problem}</>;
  return sheets.some((s) => s.state === 'reading') ? <>It is being read.</> : <>No row names a file.</>;
}

function Names({ sheet, clean }: { sheet: LotSheet; clean: boolean }) {
  const named = `Its rows name ${some(sheet.rows, 'file')}`;
  if (clean) return <>{named}, and each is here.</>;
  return (
    <>
      {named}: <strong>{count(sheet.left)}</strong> {sheet.left === 1 ? 'is' : 'are'} not here, and{' '}
      <strong>{count(sheet.unnamed)}</strong> {sheet.unnamed === 1 ? 'file is' : 'files are'} in no row.
    </>
  );
}

function Lists({ sheet }: { sheet: LotSheet }) {
  return (
    <div className={`columns ${css.halves}`}>
      <section className="sheet">
        <h2>{some(sheet.left, 'row')} without a file</h2>
        <div className="list-window" tabIndex={0} role="region" aria-label="Rows without a file">
          {sheet.unused.map((r) => (
            <div key={`${r.line} ${r.file}`} className={`row ${css.line}`}>
              <span className="quiet num">row {r.line}</span>
              <span className="mono clip" title={r.file}>
                {r.file}
              </span>
              <span className="mono clip">{r.sku}</span>
            </div>
          ))}
          {sheet.left > sheet.unused.length && (
            <div className="row quiet">and {count(sheet.left - sheet.unused.length)} more</div>
          )}
        </div>
      </section>
      <section className="sheet">
        <h2>{some(sheet.unnamed, 'file')} in no row</h2>
        <div className="list-window" tabIndex={0} role="region" aria-label="Files in no row">
          {sheet.files.map((path) => (
            <div key={path} className="row">
              <span className="mono clip" title={path}>
                {path}
              </span>
            </div>
          ))}
          {sheet.unnamed > sheet.files.length && (
            <div className="row quiet">and {count(sheet.unnamed - sheet.files.length)} more</div>
          )}
        </div>
      </section>
    </div>
  );
}

import { Button, Modal } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { LotSheet } from '../client';
import { getLotSheetOptions } from '../client/@tanstack/react-query.gen';
import { count, some } from '../shared/format';
import css from './SheetReport.module.css';

/** What the sheets that came with a lot leave open: rows that find no file, and files that no row names. */
export function SheetReport({ lot }: { lot: number }) {
  const sheet = useQuery(getLotSheetOptions({ path: { id: lot } })).data;
  const [open, setOpen] = useState(false);
  if (!sheet || sheet.rows === 0) return null;
  const clean = sheet.left + sheet.unnamed === 0;
  return (
    <div className={`note spread${sheet.left > 0 ? ' warn' : ''} beside-edge`}>
      <span>
        {some(sheet.rows, 'row')} of its sheet name files
        {clean ? (
          ', and each finds its own.'
        ) : (
          <>
            : <strong>{count(sheet.left)}</strong> find none, and <strong>{count(sheet.unnamed)}</strong>{' '}
            {sheet.unnamed === 1 ? 'file is' : 'files are'} in no row.
          </>
        )}
      </span>
      {!clean && (
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

function Lists({ sheet }: { sheet: LotSheet }) {
  return (
    <div className={`columns ${css.halves}`}>
      <section className="sheet">
        <h2>{some(sheet.left, 'row')} without a file</h2>
        <div className="list-window" tabIndex={0} role="region" aria-label="Rows without a file">
          {sheet.unused.map((r) => (
            <div key={`${r.Line} ${r.File}`} className={`row ${css.line}`}>
              <span className="quiet num">row {r.Line}</span>
              <span className="mono clip" title={r.File}>
                {r.File}
              </span>
              <span className="mono clip">{r.SKU}</span>
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

import { Button, Modal } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useRef } from 'react';
import { importProductsMutation } from '../client/@tanstack/react-query.gen';
import { count, said, some } from '../shared/format';
import css from './BringIn.module.css';

/** Brings products in from a CSV, and says of every cell that could not be taken why. */
export function BringIn({ open, onClose }: { open: boolean; onClose: () => void }) {
  const client = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const bring = useMutation({
    ...importProductsMutation(),
    onSuccess: () => void client.invalidateQueries(),
  });
  const report = bring.data;
  return (
    <Modal opened={open} onClose={onClose} title="Bring in products" size="xl">
      <p className="flush">
        A CSV with a header row. Needed is a column <span className="mono">sku</span>;{' '}
        <span className="mono">product, title, gtin, category, codes</span> are understood, and any other
        column is an option such as colour or size. Products and variants are made or brought up to date by
        SKU; nothing is deleted.
      </p>
      <div className="spread">
        <Button variant="filled" loading={bring.isPending} onClick={() => input.current?.click()}>
          Choose a CSV
        </Button>
        <input
          ref={input}
          type="file"
          accept=".csv,.txt,text/csv"
          hidden
          aria-label="CSV"
          onChange={(e) => {
            const file = e.currentTarget.files?.[0];
            if (file) bring.mutate({ body: file, headers: { 'Content-Type': 'text/csv' } });
            e.currentTarget.value = '';
          }}
        />
      </div>
      {bring.error && (
        <div className="note bad below" role="alert">
          {said(bring.error)}
        </div>
      )}
      {report && (
        <div className="below" role="status">
          <p>
            <strong>{some(report.rows, 'row')}</strong>: {count(report.created)} variants new,{' '}
            {count(report.updated)} brought up to date, {count(report.unchanged)} as they were,{' '}
            {count(report.refused)} not taken.
          </p>
          {report.problems.length > 0 && (
            <div className={`sheet ${css.problems}`} tabIndex={0} role="region" aria-label="Problems">
              <div className={`row th ${css.problem}`}>
                <span className="num">Row</span>
                <span>Column</span>
                <span>Value</span>
                <span>Why</span>
              </div>
              {report.problems.map((p, i) => (
                <div key={i} className={`row ${css.problem}`}>
                  <span className="num">{p.row}</span>
                  <span className="clip">{p.column}</span>
                  <span className="mono clip" title={p.value}>
                    {p.value}
                  </span>
                  <span>
                    {p.reason}
                    {p.kept && <span className="quiet"> (taken without it)</span>}
                  </span>
                </div>
              ))}
            </div>
          )}
          {report.more > 0 && <p className="quiet">and {count(report.more)} more.</p>}
        </div>
      )}
    </Modal>
  );
}

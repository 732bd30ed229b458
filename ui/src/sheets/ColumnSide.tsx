import { NativeSelect, TextInput } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { tryColumn, type Column, type Effect, type Mapping, type SheetPage } from '../client';
import { mapSheetMutation } from '../client/@tanstack/react-query.gen';
import { said } from '../shared/format';
import { tell } from '../shared/tell';
import css from './Side.module.css';
import { Identity } from './Identity';
import { Steps } from './Steps';
import { fieldGroups, mayRepeat } from './words';

const choices = [
  { group: 'Not taken', items: [{ value: '', label: 'Left open' }] },
  ...fieldGroups.map(([group, fields]) => ({
    group,
    items: fields.map(([value, label]) => ({ value, label })),
  })),
];

/** What a column is taken for, and why; what stands in it; the steps that its cells go through. */
export function ColumnSide({ sheet, index }: { sheet: SheetPage; index: number }) {
  const was = sheet.mapping.columns[index];
  const [column, setColumn] = useState(was);
  const map = useMutation({ ...mapSheetMutation(), onError: (e) => tell('Not taken', said(e), true) });
  const effects = useQuery<Effect[]>({
    queryKey: ['effects', sheet.id, column],
    enabled: column !== undefined,
    placeholderData: (before) => before,
    queryFn: async ({ signal }): Promise<Effect[]> => {
      const body = { columns: column ? [column] : [] };
      const tried = await tryColumn({ path: { id: sheet.id }, body, signal, throwOnError: true });
      return tried.data.items[0]?.effects ?? [];
    },
  });
  if (!column || !was) return null;

  const take = (next: Column, identity = sheet.mapping.identity) => {
    setColumn(next);
    const columns = sheet.mapping.columns.map((c) => {
      if (c.index === index) return next;
      // A field of which there is one goes over to this column.
      return next.field !== '' && c.field === next.field && !mayRepeat(next.field) ? { ...c, field: '' } : c;
    });
    map.mutate({
      path: { id: sheet.id },
      body: {
        revision: sheet.revision,
        mapping: { ...sheet.mapping, columns, identity },
        choices: sheet.choices,
      },
    });
  };
  const named = column.field === 'option' || column.field === 'attribute';
  return (
    <section className={css.hand} aria-label="Column">
      <strong className="clip">{was.column || 'Column without a header'}</strong>
      <NativeSelect
        label="Taken for"
        data={choices}
        value={column.field}
        onChange={(e) => take({ ...column, field: e.currentTarget.value, name: undefined })}
      />
      {named && (
        <TextInput
          label="Its name in the catalog"
          value={column.name ?? column.column}
          onChange={(e) => setColumn({ ...column, name: e.currentTarget.value })}
          onBlur={() => column.name !== was.name && take(column)}
        />
      )}
      <span className="quiet">{was.evidence && `Because ${was.evidence}.`}</span>
      <Identity
        field={column.field}
        identity={sheet.mapping.identity}
        onIdentity={(identity) => take(column, identity as Mapping['identity'])}
      />
      <Steps steps={column.steps ?? []} onSteps={(steps) => take({ ...column, steps })} />
      <span className="quiet">What stands there{(column.steps ?? []).length > 0 && ', and becomes'}</span>
      {effects.error ? (
        <span className="bad">{said(effects.error)}</span>
      ) : (
        effects.data?.map((e) => (
          <div key={e.before} className={`mono ${css.effect}`}>
            <span className="clip" title={e.before}>
              {e.before}
            </span>
            {(column.steps ?? []).length > 0 && (
              <span className="clip" title={e.after.join('\n')}>
                {e.after.join(' + ') || 'nothing'}
              </span>
            )}
          </div>
        ))
      )}
    </section>
  );
}

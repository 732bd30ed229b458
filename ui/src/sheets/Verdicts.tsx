import { Button, TextInput } from '@mantine/core';
import { useEffect, useState } from 'react';
import type { SheetPage } from '../client';
import { count } from '../shared/format';
import type { RowsWanted } from './Grid';
import { RowMark } from './RowMark';
import css from './Verdicts.module.css';
import { matterWords, rowVerdicts } from './words';

/** Milliseconds that a person may pause in typing what they look for. */
const pause = 250;

interface Props {
  sheet: SheetPage;
  wanted: RowsWanted;
  onWant: (wanted: RowsWanted) => void;
  cards: boolean;
  onCards: (on: boolean) => void;
}

/** What becomes of the rows, with counts: each chooses its rows. */
export function Verdicts({ sheet, wanted, onWant, cards, onCards }: Props) {
  const [text, setText] = useState(wanted.q ?? '');
  useEffect(() => {
    if (text === (wanted.q ?? '')) return;
    const later = window.setTimeout(() => onWant({ ...wanted, q: text || undefined }), pause);
    return () => window.clearTimeout(later);
  }, [text, wanted, onWant]);
  const verdicts = sheet.totals.verdicts;
  const all = wanted.verdict === undefined && wanted.judgement === undefined;
  return (
    <div className={css.bar} role="group" aria-label="Verdict">
      <button className={css.tab} aria-pressed={!cards && all} onClick={() => onWant({})}>
        all <strong>{count(sheet.rows)}</strong>
      </button>
      {rowVerdicts
        .filter(([v]) => v !== 'skipped' || (verdicts[v] ?? 0) > 0)
        .map(([v, words]) => (
          <button
            key={v}
            className={css.tab}
            aria-pressed={!cards && wanted.verdict === v}
            onClick={() => onWant({ verdict: v })}
          >
            <RowMark verdict={v} />
            <strong>{sheet.rehearsed > 0 ? count(verdicts[v] ?? 0) : '…'}</strong> {words}
          </button>
        ))}
      {wanted.judgement !== undefined && (
        <Button size="compact-xs" onClick={() => onWant({})}>
          {matterWords(wanted.judgement)} ×
        </Button>
      )}
      {sheet.imports[0] && (
        <button className={css.tab} aria-pressed={cards} onClick={() => onCards(!cards)}>
          imported <strong>{count(sheet.imports[0].products)}</strong>
        </button>
      )}
      <TextInput
        className={css.find}
        placeholder="Find in the cells"
        aria-label="Find in the cells"
        value={text}
        onChange={(e) => setText(e.currentTarget.value)}
      />
    </div>
  );
}

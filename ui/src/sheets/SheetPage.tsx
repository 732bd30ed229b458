import { useQuery } from '@tanstack/react-query';
import { useCallback, useEffect, useState } from 'react';
import { useParams } from 'react-router';
import type { JudgedRow, SheetPage as Sheet } from '../client';
import { getSheetOptions, listRunsOptions } from '../client/@tanstack/react-query.gen';
import { active, RunLine } from '../shared/Runs';
import { Empty, Failed } from '../shared/State';
import { CameWith } from './CameWith';
import { CellSide } from './CellSide';
import { ColumnSide } from './ColumnSide';
import { Gone } from './Gone';
import { Grid, type RowsWanted } from './Grid';
import type { At } from './gridKeys';
import { Imported, PairPictures } from './Imported';
import { Questions } from './Questions';
import { SheetHead } from './SheetHead';
import css from './SheetPage.module.css';
import { ToFetch } from './ToFetch';
import { useEdits } from './useEdits';
import { Verdicts } from './Verdicts';

/** A sheet: what its columns mean, and what an import would do with each row. */
export function SheetPage() {
  const id = Number(useParams()['id']);
  const sheet = useQuery(getSheetOptions({ path: { id } }));
  const runs = useQuery(listRunsOptions());
  if (sheet.error) return <Failed error={sheet.error} again={() => void sheet.refetch()} />;
  if (!sheet.data) return null;
  const mine = runs.data?.items.filter((r) => r.sheet === id) ?? [];
  const working = mine.find(active) ?? (mine[0]?.state === 'failed' ? mine[0] : undefined);
  return (
    <>
      <SheetHead sheet={sheet.data} working={mine.some((r) => active(r) && r.kind !== 'rehearse')} />
      {working && (
        <div className="sheet beside-edge">
          <RunLine run={working} />
        </div>
      )}
      {sheet.data.state === 'unreadable' ? (
        <Empty title="This sheet cannot be read.">
          <span>{sheet.data.problem}</span>
          <span className="quiet">The file is kept as it came.</span>
        </Empty>
      ) : (
        sheet.data.state !== 'reading' && <Body key={id} sheet={sheet.data} />
      )}
    </>
  );
}

function Body({ sheet }: { sheet: Sheet }) {
  const [wanted, setWanted] = useState<RowsWanted>({});
  const [at, setAt] = useState<At>({ row: -1, column: firstToLookAt(sheet) });
  const [row, setRow] = useState<JudgedRow>();
  const newest = sheet.imports[0];
  // What an import brought is shown as soon as it ended, until one turns to the rows.
  const standing = newest ? `${newest.id} ${newest.state}` : '';
  const [turned, setTurned] = useState<{ standing: string; cards: boolean }>();
  const cards = turned?.standing === standing ? turned.cards : newest?.state === 'imported';
  const setCards = useCallback((on: boolean) => setTurned({ standing, cards: on }), [standing]);
  const edits = useEdits(sheet.id);
  const { forget } = edits;
  // What was changed here is in the lists as soon as the sheet was judged with it.
  useEffect(() => {
    if (sheet.rehearsed === sheet.revision) forget();
  }, [sheet.rehearsed, sheet.revision, forget]);
  const choose = useCallback(
    (next: RowsWanted) => {
      setWanted(next);
      setAt({ row: 0, column: next.column !== undefined && next.column >= 0 ? next.column : 0 });
      setCards(false);
    },
    [setCards],
  );
  return (
    <div className={css.body}>
      <section className={css.main} aria-label="Rows and columns">
        {sheet.misfits.length > 0 && sheet.imports.length === 0 && (
          <div className="note warn" role="status">
            Mapped as “{sheet.mappedAs}”, but not all of it fits: {sheet.misfits.join(' ')}
          </div>
        )}
        <CameWith sheet={sheet} />
        <Gone sheet={sheet} />
        <ToFetch sheet={sheet} />
        {namesAlone(sheet) && !cards && <PairPictures sheet={sheet} may />}
        <Verdicts sheet={sheet} wanted={wanted} onWant={choose} cards={cards} onCards={setCards} />
        {cards && newest ? (
          <Imported of={newest} sheet={sheet} />
        ) : (
          <Grid sheet={sheet} wanted={wanted} edits={edits} at={at} setAt={setAt} onRow={setRow} />
        )}
      </section>
      <aside className={css.side} aria-label="At hand">
        {at.row < 0 ? (
          <ColumnSide key={`${at.column} ${sheet.revision}`} sheet={sheet} index={at.column} />
        ) : (
          row && <CellSide sheet={sheet} row={row} column={at.column} edits={edits} />
        )}
        <Questions sheet={sheet} wanted={wanted} onWant={choose} />
      </aside>
    </div>
  );
}

/** Nothing is to be imported of the sheet but the pictures that it names. */
function namesAlone(sheet: Sheet): boolean {
  const { verdicts, pictures } = sheet.totals;
  return pictures > 0 && !verdicts['make'] && !verdicts['change'] && !sheet.importing;
}

/** The first column that a person has to look at: one that is not sure, else the first. */
function firstToLookAt(sheet: Sheet): number {
  const unsure = sheet.mapping.columns.findIndex((c) => c.field !== '' && !c.sure);
  return Math.max(0, unsure);
}

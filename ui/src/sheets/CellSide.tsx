import { Button } from '@mantine/core';
import type { JudgedRow, Judgement, Remedy, SheetPage } from '../client';
import { Picture } from '../shared/Picture';
import { differing } from './differing';
import { editedValue, isLeft, valueOf, withRemedy } from './edits';
import { RowMark } from './RowMark';
import css from './Side.module.css';
import type { useEdits } from './useEdits';
import { fieldLabel, rowVerdicts } from './words';

interface Props {
  sheet: SheetPage;
  row: JudgedRow;
  column: number;
  edits: ReturnType<typeof useEdits>;
}

/** Explains the cell at hand: what was read, what was expected, and what can be done. */
export function CellSide({ sheet, row, column, edits }: Props) {
  const c = sheet.mapping.columns[column];
  const here = row.cells.filter((j) => j.column === column);
  const others = row.cells.filter((j) => j.column !== column);
  const came = row.values[column] ?? '';
  const edited = editedValue(row, column);
  const words = rowVerdicts.find(([v]) => v === row.verdict)?.[1] ?? row.verdict;
  return (
    <section className={css.hand} aria-label="Cell">
      <span className="spread">
        <span className="verdict">
          <RowMark verdict={row.verdict} />
          <strong>Row {row.row}</strong> {words}
        </span>
        {isLeft(row) && (
          <Button
            className="push"
            size="compact-xs"
            onClick={() => edits.change([{ row, edits: row.edits.filter((e) => !e.left) }])}
          >
            Take it in
          </Button>
        )}
      </span>
      <span className="quiet">
        {c?.column || 'Column without a header'}, {c?.field ? fieldLabel(c.field) : 'left open'}
      </span>
      <div className={`mono ${css.value}`}>
        {valueOf(row, column) || <span className="quiet">empty</span>}
      </div>
      {row.pictures
        .filter((p) => p.column === column && !here.some((j) => j.remedies.some((r) => r.sum)))
        .map((p) => (
          <div key={p.sum} className={`fill ${css.picture}`}>
            <Picture sum={p.sum} />
          </div>
        ))}
      {edited !== undefined && (
        <span className="spread">
          <span className="quiet clip">came as “{came}”</span>
          <Button
            className="push"
            size="compact-xs"
            onClick={() =>
              edits.change([
                { row, edits: row.edits.filter((e) => e.column !== column || e.value === undefined) },
              ])
            }
          >
            As it came
          </Button>
        </span>
      )}
      {[...here, ...others].map((j) => (
        <Reason key={`${j.column} ${j.judgement}`} sheet={sheet} row={row} judgement={j} edits={edits} />
      ))}
      {row.verdict === 'change' && <Changes row={row} />}
    </section>
  );
}

function Reason({
  sheet,
  row,
  judgement: j,
  edits,
}: {
  sheet: SheetPage;
  row: JudgedRow;
  judgement: Judgement;
  edits: ReturnType<typeof useEdits>;
}) {
  return (
    <div className={`${css.reason}${j.refuses ? ` ${css.refuses}` : ''}`}>
      <span>
        {j.column >= 0 && <span className="quiet">{sheet.mapping.columns[j.column]?.column}: </span>}
        {j.reason}
      </span>
      {j.remedies.length > 0 && (
        <span className={css.remedies}>
          {j.remedies.map((remedy, i) => {
            const take = () => edits.change([{ row, edits: withRemedy(row, j.column, j.judgement, remedy) }]);
            return remedy.sum ? (
              <OneOf key={remedy.words} sum={remedy.sum} name={remedy.words} onTake={take} />
            ) : (
              <Button
                key={remedy.words}
                size="compact-xs"
                variant={i === 0 && remedy.do === 'take' ? 'filled' : 'default'}
                onClick={take}
              >
                <Words remedy={remedy} value={j.value} />
              </Button>
            );
          })}
        </span>
      )}
    </div>
  );
}

/** One of several pictures that a name means: its lot, its path, and the picture, to be taken. */
function OneOf({ sum, name, onTake }: { sum: string; name: string; onTake: () => void }) {
  return (
    <button className={css.oneOf} onClick={onTake} title={name} aria-label={`Take ${name}`}>
      <Picture sum={sum} />
      <span className={css.path}>{name}</span>
      <span className={css.take}>Take</span>
    </button>
  );
}

/** What a remedy does; of a value to take the characters that the cell has not are marked. */
function Words({ remedy, value }: { remedy: Remedy; value: string }) {
  const at = remedy.do === 'take' && remedy.value ? remedy.words.indexOf(remedy.value) : -1;
  if (at < 0 || !remedy.value) return remedy.words;
  return (
    <span>
      {remedy.words.slice(0, at)}
      <span className="mono">
        {differing(value, remedy.value).map((part, i) =>
          part.differs ? <mark key={i}>{part.text}</mark> : <span key={i}>{part.text}</span>,
        )}
      </span>
      {remedy.words.slice(at + remedy.value.length)}
    </span>
  );
}

/** What becomes of a known row, field by field. */
function Changes({ row }: { row: JudgedRow }) {
  return (
    <dl className={css.changes} aria-label="What changes">
      {row.changes.map((c) => (
        <div key={`${c.field} ${c.name ?? ''}`} className={css.pairOf}>
          <dt>{c.name || fieldLabel(c.field)}</dt>
          <dd>
            {c.before && <span className={css.was}>{c.before}</span>} {c.after || 'cleared'}
          </dd>
        </div>
      ))}
    </dl>
  );
}

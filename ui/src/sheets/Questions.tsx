import { Button, Menu } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { Question, Remedy, SheetPage } from '../client';
import { mendSheetMutation } from '../client/@tanstack/react-query.gen';
import { count, said, some } from '../shared/format';
import { Empty } from '../shared/State';
import { tell } from '../shared/tell';
import type { RowsWanted } from './Grid';
import css from './Side.module.css';
import { deedWords, matterWords } from './words';

interface Props {
  sheet: SheetPage;
  wanted: RowsWanted;
  onWant: (wanted: RowsWanted) => void;
}

/** What is in question in the whole sheet: each opens its rows, and alike ones are mended together. */
export function Questions({ sheet, wanted, onWant }: Props) {
  const questions = sheet.totals.questions;
  if (sheet.rehearsed === 0) return null;
  return (
    <section aria-label="In question">
      <h2 className={css.heading}>In question</h2>
      {questions.length === 0 && <Empty title="Nothing. Every row can be imported." />}
      {questions.map((q) => (
        <Line
          key={`${q.column} ${q.judgement}`}
          sheet={sheet}
          question={q}
          on={wanted.judgement === q.judgement && wanted.column === q.column}
          onPress={() => onWant({ column: q.column, judgement: q.judgement })}
        />
      ))}
    </section>
  );
}

function Line({
  sheet,
  question: q,
  on,
  onPress,
}: {
  sheet: SheetPage;
  question: Question;
  on: boolean;
  onPress: () => void;
}) {
  const client = useQueryClient();
  const mend = useMutation({
    ...mendSheetMutation(),
    onError: (e) => {
      tell('Not mended', said(e), true);
      void client.invalidateQueries(); // what overtook it is shown
    },
    onSuccess: ({ rows }) => {
      void client.invalidateQueries();
      tell('Mended', `${some(rows, 'row')} changed; they are judged again.`);
    },
  });
  return (
    <div className={`${css.question}${on ? ` ${css.on}` : ''}`}>
      <button className="link clip" onClick={onPress} title={q.words}>
        <strong className={q.refuses ? 'bad' : undefined}>{count(q.cells)}</strong> {matterWords(q.judgement)}
        <span className="quiet"> {sheet.mapping.columns[q.column]?.column}</span>
      </button>
      {q.deeds.length > 0 && (
        <Menu position="bottom-end">
          <Menu.Target>
            <Button
              size="compact-xs"
              loading={mend.isPending}
              disabled={sheet.rehearsed !== sheet.revision || sheet.importing}
            >
              All…
            </Button>
          </Menu.Target>
          <Menu.Dropdown>
            {q.deeds.map((deed) => (
              <Menu.Item
                key={deed}
                onClick={() =>
                  mend.mutate({
                    path: { id: sheet.id },
                    body: {
                      revision: sheet.revision,
                      column: q.column,
                      judgement: q.judgement,
                      do: deed as Remedy['do'],
                    },
                  })
                }
              >
                {deedWords(deed)}
              </Menu.Item>
            ))}
          </Menu.Dropdown>
        </Menu>
      )}
    </div>
  );
}

import { Button, Kbd } from '@mantine/core';
import { type FileDetail } from '../client';
import { aimOf, targetKey } from '../shared/target';
import type { Open } from './BenchDialogs';
import { type Choice } from './choices';
import css from './Bench.module.css';

/** Who claims the file, or whose keys are nearest, each with its number as a key. */
export function Choices({
  file,
  choices,
  at,
  onMark,
  onTake,
  onTakeAll,
}: {
  file: FileDetail;
  choices: Choice[];
  at: number;
  onMark: (at: number) => void;
  onTake: (choice: Choice) => void;
  /** Pairs a contested file with all who claim it; left out where nothing can be decided. */
  onTakeAll: (() => void) | undefined;
}) {
  return (
    <div>
      <h2 className={css.choicesHead}>
        {file.verdict === 'contested' ? 'Who claims it' : file.candidates.length > 0 ? 'Proposed' : 'Nearest'}
      </h2>
      {choices.map((c, i) => (
        <button
          key={targetKey(aimOf(c))}
          className={`choice${i === at ? ' on' : ''}`}
          aria-pressed={i === at}
          onClick={() => onMark(i)}
          onDoubleClick={() => onTake(c)}
        >
          <Kbd>{i + 1}</Kbd>
          <span className="narrow">
            <span className="mono clip block">{c.code}</span>
            <span className="quiet clip block small">{c.title}</span>
          </span>
          <span className="quiet small">{c.note}</span>
        </button>
      ))}
      {file.verdict === 'contested' && file.candidates.length > 1 && onTakeAll && (
        <div className="padded tight">
          <Button size="compact-sm" onClick={onTakeAll} title="The picture shows all of these products">
            <Kbd>a</Kbd>&nbsp;Pair with all {file.candidates.length}
          </Button>
        </div>
      )}
    </div>
  );
}

/** The buttons below the proposals: take the marked one, find another, set the file aside. */
export function Taking({
  file,
  several,
  choice,
  disabled,
  onTake,
  open,
}: {
  file: FileDetail;
  /** How many files are chosen: what is done is done with them. */
  several: number;
  choice: Choice | undefined;
  disabled: boolean;
  onTake: (choice: Choice | undefined) => void;
  open: (dialog: Open) => void;
}) {
  return (
    <div className="spread wrap padded tight">
      {file.verdict !== 'paired' && (
        <Button variant="filled" disabled={disabled} onClick={() => onTake(choice)}>
          {choice ? `Accept ${choice.code}` : 'Press a number'}
        </Button>
      )}
      <Button onClick={() => open('product')}>
        {file.verdict === 'paired' ? 'Another product' : 'Find'}
      </Button>
      {file.verdict === 'paired' && several === 0 && (
        <Button onClick={() => open('also')}>Add a product…</Button>
      )}
      {file.verdict !== 'set aside' && <Button onClick={() => open('reason')}>Set aside…</Button>}
      <Button onClick={() => open('later')}>Save for later…</Button>
    </div>
  );
}

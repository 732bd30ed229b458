import { Kbd } from '@mantine/core';
import { type FileDetail } from '../client';
import { type Choice } from './choices';
import css from './Bench.module.css';

/** Who claims the file, or whose keys are nearest, each with its number as a key. */
export function Choices({
  file,
  choices,
  at,
  onMark,
  onTake,
}: {
  file: FileDetail;
  choices: Choice[];
  at: number;
  onMark: (at: number) => void;
  onTake: (choice: Choice) => void;
}) {
  return (
    <div>
      <h2 className={css.choicesHead}>
        {file.verdict === 'contested'
          ? 'Who claims it'
          : file.candidates.length > 0
            ? 'Proposed'
            : 'Nearest keys'}
      </h2>
      {choices.map((c, i) => (
        <button
          key={`${c.product}-${c.variant}`}
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
    </div>
  );
}

import { Kbd, Modal } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { listLimitsOptions } from '../client/@tanstack/react-query.gen';
import { Failed } from './State';
import css from './Help.module.css';

const sheets: { name: string; keys: [string[], string][] }[] = [
  {
    name: 'Everywhere',
    keys: [
      [['Ctrl', 'K'], 'search products, SKUs and files'],
      [['[', ']'], 'the station before, the next one'],
      [['r'], 'runs'],
      [['i'], 'messages'],
      [['?'], 'this sheet'],
    ],
  },
  {
    name: 'On the bench',
    keys: [
      [['Enter'], 'accept the marked product, and go on'],
      [['a'], 'pair with all candidates: the picture shows several products'],
      [['Shift', 'a'], 'add a product that the picture shows, too'],
      [['1', '…', '9'], 'mark a candidate or suggestion'],
      [['↑', '↓'], 'file before, next file'],
      [['n'], 'next undecided file'],
      [['f'], 'find another product'],
      [['x'], 'set aside, and go on'],
      [['Shift', 'x'], 'set aside for a reason'],
      [['s'], 'save it for later, on the shelf'],
      [['p'], 'place'],
      [['v'], 'view'],
      [['o'], 'open again: read the file anew'],
      [['m'], 'choose the file, and go on: what follows is done with all that are chosen'],
      [['Esc'], 'choose none'],
      [['Shift', '← →'], 'move the picture in what the product will show'],
      [['u'], 'undo what was done last'],
      [['Shift', 'u'], 'do it again'],
      [['c'], 'the clues that the lot is read with'],
      [['space'], 'large view'],
    ],
  },
  {
    name: 'On a product',
    keys: [
      [['←', '→'], 'mark a picture; in the large view, the one before and the next'],
      [['Shift', '← →'], 'move it'],
      [['a'], 'alternative text'],
      [['v'], 'view'],
      [['space'], 'large view'],
      [['s'], 'hold it beside the next that is marked with s'],
      [['x'], 'remove it from the product'],
      [['m'], 'move or copy it to another product'],
      [['u'], 'take the last change back'],
    ],
  },
  {
    name: 'In a sheet',
    keys: [
      [['←', '→', '↑', '↓'], 'go from cell to cell'],
      [['Enter'], 'change the cell; typing writes over it'],
      [['Del'], 'empty it'],
      [['Ctrl', 'V'], 'paste a block of cells'],
      [['Ctrl', 'Z'], 'undo what was changed last'],
    ],
  },
  {
    name: 'In upkeep',
    keys: [
      [['←', '→', '↑', '↓'], 'go from finding to finding'],
      [['m'], 'choose it'],
      [['Shift', '← → ↑ ↓'], 'choose up to there'],
      [['h'], 'hold it, or all that are chosen'],
      [['p'], 'pin: keep it, because …'],
      [['s'], 'save it for later, on the shelf'],
      [['k'], 'of those that are the same, keep this one: as a plan'],
      [['space'], 'large view, beside what replaced it or is the same'],
      [['Esc'], 'choose none'],
    ],
  },
  {
    name: 'In the catalog',
    keys: [
      [['←', '→', '↑', '↓'], 'go from product to product'],
      [['m'], 'choose it'],
      [['Shift', '← → ↑ ↓'], 'choose up to there'],
      [['Enter'], 'open it'],
      [['Esc'], 'choose none'],
    ],
  },
  {
    name: 'In coverage, with unknown views',
    keys: [
      [['←', '→'], 'go from picture to picture'],
      [['m'], 'select it'],
      [['Shift', '← →'], 'select up to there'],
      [['1', '…', '9'], 'set the view with this number for it, or for all that are selected'],
      [['v'], 'any other view'],
      [['space'], 'large view'],
      [['Esc'], 'clear the selection'],
    ],
  },
  {
    name: 'On the shelf',
    keys: [
      [['←', '→', '↑', '↓'], 'go from picture to picture'],
      [['m'], 'choose it'],
      [['space'], 'large view'],
      [['Esc'], 'choose none'],
    ],
  },
];

/** What the server takes at most, as the steward has set it. */
function Limits() {
  const limits = useQuery({ ...listLimitsOptions(), staleTime: Infinity });
  if (limits.error) return <Failed error={limits.error} again={() => void limits.refetch()} />;
  return (
    <section>
      <h2 className="first">What is taken at most</h2>
      {(limits.data?.items ?? []).map((l) => (
        <div key={l.name} className="row limit">
          <span>{l.name}</span>
          <strong className="num">{l.value}</strong>
          <span className="mono quiet clip" title={l.setting}>
            {l.setting}
          </span>
        </div>
      ))}
    </section>
  );
}

export function Help({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Modal opened={open} onClose={onClose} title="Keys" size="lg">
      {sheets.map((sheet) => (
        <section key={sheet.name} className={css.group}>
          <h2 className={css.groupHead}>{sheet.name}</h2>
          <div className="help">
            {sheet.keys.map(([keys, what]) => [
              <span key={`${what} keys`}>
                {keys.map((k) => (
                  <Kbd key={k} mr={4}>
                    {k}
                  </Kbd>
                ))}
              </span>,
              <span key={what}>{what}</span>,
            ])}
          </div>
        </section>
      ))}
      <Limits />
    </Modal>
  );
}

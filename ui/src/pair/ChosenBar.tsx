import { Button, Kbd } from '@mantine/core';
import { some } from '../shared/format';
import type { Chosen } from './chosen';
import type { Class } from './FileColumn';

export type Deed = 'accept' | 'product' | 'place' | 'view' | 'aside' | 'later' | 'open' | 'clear';

/** What can be done with the files that were chosen; the same keys as for one. */
export function ChosenBar({
  chosen,
  cls,
  busy,
  onDo,
}: {
  chosen: Chosen;
  cls: Class;
  busy: boolean;
  onDo: (deed: Deed) => void;
}) {
  if (chosen.files.length === 0) return null;
  const deeds: [Deed, string, string, boolean][] = [
    ['accept', 'Accept proposed', 'Enter', cls === 'loose'],
    ['product', 'Pair…', 'f', true],
    ['place', 'Place…', 'p', cls === 'paired'],
    ['view', 'View…', 'v', cls === 'paired'],
    ['aside', 'Set aside', 'x', cls !== 'set aside'],
    ['later', 'Save for later…', 's', true],
    ['open', 'Open again', 'o', cls === 'paired' || cls === 'set aside'],
    ['clear', 'None', 'Esc', true],
  ];
  return (
    <div className="chosenbar" role="group" aria-label="The chosen files">
      <strong>{some(chosen.files.length, 'file')} chosen</strong>
      <div className="spread wrap tight">
        {deeds
          .filter(([, , , on]) => on)
          .map(([deed, name, key]) => (
            <Button key={deed} size="compact-xs" loading={busy} onClick={() => onDo(deed)}>
              {name} <Kbd ml={5}>{key}</Kbd>
            </Button>
          ))}
      </div>
    </div>
  );
}

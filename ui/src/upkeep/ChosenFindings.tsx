import { Button, Kbd } from '@mantine/core';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { sumFindings, type SweepFinding } from '../client';
import type { Chosen } from '../shared/chosen';
import { bytes, count, some } from '../shared/format';
import type { Deeds } from './deeds';
import type { Wanted } from './Findings';

interface Props {
  wanted: Wanted;
  chosen: Chosen<SweepFinding>;
  /** All that are looked at are chosen, however many. */
  whole: boolean;
  total: number;
  deeds: Deeds;
  onWhole: () => void;
  onClear: () => void;
}

/** What is chosen, how much of it would really be freed, and what can be done with it. */
export function ChosenFindings({ wanted, chosen, whole, total, deeds, onWhole, onClear }: Props) {
  const ids = chosen.items.map((f) => f.id);
  const which = whole ? { where: wanted } : { ids };
  const sums = useQuery({
    queryKey: ['sumFindings', which, total],
    queryFn: async () => (await sumFindings({ body: which, throwOnError: true })).data,
    enabled: whole || ids.length > 0,
    placeholderData: keepPreviousData,
  });
  if (!whole && ids.length === 0) return null;
  const n = whole ? total : ids.length;
  const lots = chosen.items.filter((f) => f.lot > 0 && f.file === 0);
  return (
    <div className="chosenbar chosen-products" role="group" aria-label="Chosen findings">
      <strong>{some(n, wanted.kind === 'lying' ? 'finding' : 'file')} chosen</strong>
      {sums.data && sums.data.files > 0 && (
        <span className="quiet">
          {bytes(sums.data.bytes)}, of which {bytes(sums.data.frees)} would be freed
        </span>
      )}
      {wanted.kind === 'orphans' && (
        <Button variant="filled" loading={deeds.busy} onClick={() => deeds.hold(which)}>
          Hold {count(n)} <Kbd ml={5}>h</Kbd>
        </Button>
      )}
      {(wanted.kind === 'twice' || (wanted.kind === 'alike' && !whole)) && (
        <Button
          variant="filled"
          loading={deeds.busy}
          title="Of each group the one stays that most show: a plan, to look at first"
          onClick={() => deeds.merge(wanted.kind === 'twice' ? 'twice' : 'alike', which)}
        >
          Merge {count(n)}…
        </Button>
      )}
      {lots.length > 0 && (
        <Button loading={deeds.busy} onClick={() => deeds.giveUp(lots)}>
          Give up {some(lots.length, 'lot')}
        </Button>
      )}
      {!whole && wanted.kind !== 'lying' && (
        <>
          <Button onClick={() => deeds.askPin(chosen.items)}>
            Pin… <Kbd ml={5}>p</Kbd>
          </Button>
          <Button onClick={() => deeds.askShelf(chosen.items)}>
            Save for later… <Kbd ml={5}>s</Kbd>
          </Button>
        </>
      )}
      {!whole && total > n && <Button onClick={onWhole}>Choose all {count(total)}</Button>}
      <Button className="push" onClick={onClear}>
        Choose none
      </Button>
    </div>
  );
}

import { Button, Modal, NumberInput, Switch } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { Upkeep } from '../client';
import { getUpkeepOptions, setUpkeepMutation } from '../client/@tanstack/react-query.gen';
import { NotSaved } from '../shared/NotSaved';
import { reasons } from './words';

/** What orphans are, by their reasons: those that have an age in the settings. */
const aged = [
  'replaced',
  'set aside',
  'product retired',
  'lot given up',
  'lot applied',
  'cannot be used',
  'never paired',
];

type Numbers =
  'wayBackDays' | 'holdDays' | 'sweepHours' | 'checkDays' | 'purgeShare' | 'rightsDays' | 'lyingDays';

const fromZero: Numbers[] = ['sweepHours', 'wayBackDays', 'rightsDays', 'lyingDays'];

/** The terms, the timetable and the bounds of upkeep. */
export function HowItGoes({ settings, onClose }: { settings: Upkeep; onClose: () => void }) {
  const [to, setTo] = useState(settings);
  const client = useQueryClient();
  const set = useMutation({
    ...setUpkeepMutation(),
    onSuccess: () => {
      void client.invalidateQueries();
      onClose();
    },
  });
  const reload = async () => {
    const now = await client.fetchQuery({ ...getUpkeepOptions(), staleTime: 0 });
    set.reset();
    setTo(now.settings);
  };
  const number = (of: Numbers, label: string, what: string) => (
    <NumberInput
      label={label}
      description={what}
      value={to[of]}
      min={fromZero.includes(of) ? 0 : 1}
      max={of === 'purgeShare' ? 100 : 3650}
      allowDecimal={false}
      onChange={(n) => setTo({ ...to, [of]: Number(n) })}
    />
  );
  return (
    <Modal opened onClose={onClose} title="How upkeep goes" size="lg">
      <div className="columns">
        {number('sweepHours', 'Hours from sweep to sweep', '0: by hand only')}
        {number('holdDays', 'Days that files are held', 'unless you say otherwise when you hold them')}
        {number('wayBackDays', 'Days of a way back', 'so long an applied plan keeps what it replaced')}
        {number(
          'checkDays',
          'Days in which all is read',
          'a share each sweep: are the bytes what they were?',
        )}
        {number(
          'rightsDays',
          'Days before rights end',
          'so early pictures are told of that will not be cleared',
        )}
        {number('lyingDays', 'Days that a lot lies', 'untouched, before it is told of')}
        <Switch
          size="xs"
          label="What is past its term is purged by itself, after the sweep"
          checked={to.purge}
          onChange={(e) => setTo({ ...to, purge: e.currentTarget.checked })}
        />
        {number('purgeShare', 'Percent of all files', 'a purge of more than that is asked about again')}
        <strong>Days that nothing needs a file before it counts</strong>
        {aged.map((reason) => (
          <NumberInput
            key={reason}
            label={reasons[reason]}
            value={to.ages[reason] ?? 0}
            min={0}
            max={3650}
            allowDecimal={false}
            onChange={(n) => setTo({ ...to, ages: { ...to.ages, [reason]: Number(n) } })}
          />
        ))}
        <NotSaved error={set.error} onReload={() => void reload()} />
        <div className="spread">
          <Button variant="filled" loading={set.isPending} onClick={() => set.mutate({ body: to })}>
            Save
          </Button>
          <Button onClick={onClose}>Cancel</Button>
        </div>
      </div>
    </Modal>
  );
}

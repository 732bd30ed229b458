import { ActionIcon, Autocomplete, Button, Modal, NumberInput, TextInput } from '@mantine/core';
import { IconArrowDown, IconArrowUp, IconX } from '@tabler/icons-react';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { ShotList, Wanted } from '../client';
import { setShotListMutation } from '../client/@tanstack/react-query.gen';
import { said } from '../shared/format';
import css from './Coverage.module.css';
import { shotViews } from '../shared/shotViews';

interface Props {
  /** Of the category; empty for the whole catalog. */
  path: string;
  /** The list that counts for it: its own, or an inherited one to begin with. */
  list: ShotList | undefined;
  onClose: () => void;
}

const another = (shots: Wanted[]): Wanted => ({
  view: shotViews.find((v) => !shots.some((s) => s.view === v)) ?? '',
  count: 1,
  least: 0,
  background: '',
});

/** What pictures the products of a category should have. */
export function ShotListEditor({ path, list, onClose }: Props) {
  const own = list?.path === path ? list : undefined;
  const [shots, setShots] = useState<Wanted[]>(list?.shots ?? [another([])]);
  const client = useQueryClient();
  const set = useMutation({
    ...setShotListMutation(),
    onSuccess: () => {
      void client.invalidateQueries();
      onClose();
    },
  });
  const keep = (to: Wanted[]) => set.mutate({ body: { path, shots: to, version: own?.version ?? 0 } });
  const change = (i: number, part: Partial<Wanted>) =>
    setShots(shots.map((s, at) => (at === i ? { ...s, ...part } : s)));
  const move = (i: number, to: number) => {
    if (to < 0 || to >= shots.length) return;
    const moved = [...shots];
    moved.splice(to, 0, ...moved.splice(i, 1));
    setShots(moved);
  };
  return (
    <Modal opened onClose={onClose} size={760} title={`Shot list of ${path || 'the whole catalog'}`}>
      <div className="columns">
        <p className="quiet flush">
          Each product should have these, with those of its variants. Categories below inherit it, unless they
          have their own.
          {!own && list && ` Begun from that of ${list.path || 'the whole catalog'}.`}
        </p>
        <div role="group" aria-label="Shots" className={css.shots}>
          <div className={`quiet small ${css.shot}`}>
            <span>View</span>
            <span>Pictures</span>
            <span>Longer side at least</span>
            <span>Background, for who takes it</span>
          </div>
          {shots.map((s, i) => (
            <div key={i} className={css.shot}>
              <Autocomplete
                size="xs"
                aria-label={`View ${i + 1}`}
                data={shotViews}
                maxLength={40}
                value={s.view}
                onChange={(view) => change(i, { view })}
              />
              <NumberInput
                aria-label={`Pictures of view ${i + 1}`}
                min={1}
                max={50}
                allowDecimal={false}
                value={s.count}
                onChange={(n) => change(i, { count: Math.max(1, Number(n)) })}
              />
              <NumberInput
                aria-label={`Longer side of view ${i + 1}`}
                placeholder="any"
                suffix=" px"
                min={0}
                max={50000}
                allowDecimal={false}
                value={s.least || ''}
                onChange={(n) => change(i, { least: Number(n) })}
              />
              <TextInput
                aria-label={`Background of view ${i + 1}`}
                placeholder="any"
                maxLength={100}
                value={s.background}
                onChange={(e) => change(i, { background: e.currentTarget.value })}
              />
              <ActionIcon aria-label={`View ${i + 1} further up`} onClick={() => move(i, i - 1)}>
                <IconArrowUp size={14} />
              </ActionIcon>
              <ActionIcon aria-label={`View ${i + 1} further down`} onClick={() => move(i, i + 1)}>
                <IconArrowDown size={14} />
              </ActionIcon>
              <ActionIcon
                aria-label={`View ${i + 1} away`}
                onClick={() => setShots(shots.filter((_, at) => at !== i))}
              >
                <IconX size={14} />
              </ActionIcon>
            </div>
          ))}
          <Button variant="subtle" onClick={() => setShots([...shots, another(shots)])}>
            One more view
          </Button>
        </div>
        {set.error && (
          <div className="note bad" role="alert">
            {said(set.error)}
          </div>
        )}
        <div className="spread">
          <Button
            variant="filled"
            disabled={shots.length === 0}
            loading={set.isPending}
            onClick={() => keep(shots)}
          >
            Keep the list
          </Button>
          <Button onClick={onClose}>Leave it</Button>
          {own && (
            <Button className="push" variant="subtle" loading={set.isPending} onClick={() => keep([])}>
              {path ? 'Inherit instead' : 'Want nothing'}
            </Button>
          )}
        </div>
      </div>
    </Modal>
  );
}

import { Checkbox, Modal, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { Category, Shown } from '../client';
import { listCategoriesOptions, spreadPictureMutation } from '../client/@tanstack/react-query.gen';
import { PlanIt } from '../plan/PlanIt';
import { failed, type Way } from '../plan/ways';
import { baseName, count, some } from '../shared/format';
import { Picture } from '../shared/Picture';
import { Failed } from '../shared/State';
import css from './Spread.module.css';
import type { Owner } from './owner';

/** On how many categories a picture is put at once. */
const most = 5000;

/** Puts a picture on all categories that a text finds, but those that are left out: as a plan to look at. */
export function Spread({
  picture,
  of,
  onClose,
}: {
  picture: Pick<Shown, 'file' | 'sum' | 'path' | 'alt'>;
  /** Where it stands, and is not put again. */
  of?: Owner;
  onClose: () => void;
}) {
  const [text, setText] = useState('');
  const [asked] = useDebouncedValue(text.trim(), 120);
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set());
  const [way, setWay] = useState<Way>('after');
  const navigate = useNavigate();
  const categories = useQuery({
    ...listCategoriesOptions({ query: asked ? { q: asked, limit: most } : {} }),
    placeholderData: keepPreviousData,
  });
  const spread = useMutation({
    ...spreadPictureMutation(),
    onError: failed,
    onSuccess: ({ id }) => void navigate(`/plans/${id}`),
  });
  const found = (categories.data?.items ?? []).filter((c) => of?.kind !== 'category' || c.id !== of.id);
  // Nothing is put anywhere before it is said where.
  const chosen = asked === '' ? found.filter((c) => left.has(c.id)) : found.filter((c) => !left.has(c.id));
  const turn = (id: number) =>
    setLeft((now) => {
      const then = new Set(now);
      if (!then.delete(id)) then.add(id);
      return then;
    });
  return (
    <Modal opened onClose={onClose} title={`Put ${baseName(picture.path)} on categories`} size="lg">
      <div className="columns">
        <div className="spread">
          <div className={`fill ${css.lead}`}>
            <Picture sum={picture.sum} alt={picture.alt} />
          </div>
          <TextInput
            data-autofocus
            className="grow"
            label="Categories whose name, path or ID has"
            placeholder="A word of them; or choose below"
            value={text}
            onChange={(e) => setText(e.currentTarget.value)}
          />
        </div>
        {categories.error ? (
          <Failed error={categories.error} again={() => void categories.refetch()} />
        ) : (
          <div className={css.found} role="group" aria-label="Categories found">
            {found.map((c) => (
              <Line key={c.id} category={c} chosen={chosen.includes(c)} onTurn={() => turn(c.id)} />
            ))}
            {categories.data?.more && (
              <p className="quiet">
                These are {count(found.length)} of {count(categories.data.total)}. A word finds others.
              </p>
            )}
            {found.length === 0 && <p className="quiet">No category has “{asked}” in it.</p>}
          </div>
        )}
        <PlanIt
          way={way}
          onWay={setWay}
          onto={some(chosen.length, 'category', 'categories')}
          disabled={chosen.length === 0 || asked !== text.trim()}
          busy={spread.isPending}
          onPlan={() =>
            spread.mutate({
              body: {
                file: picture.file,
                way,
                on: chosen.map((c) => ({ kind: 'category' as const, id: c.id })),
              },
            })
          }
        />
      </div>
    </Modal>
  );
}

function Line({ category: c, chosen, onTurn }: { category: Category; chosen: boolean; onTurn: () => void }) {
  return (
    <Checkbox
      size="xs"
      checked={chosen}
      onChange={onTurn}
      label={
        <span className="spread">
          <span className="clip">{c.path}</span>
          {c.ref && <span className="mono quiet">{c.ref}</span>}
          <span className="quiet push fixed">
            {c.pictures > 0 ? some(c.pictures, 'picture') : 'no picture'}
          </span>
        </span>
      }
      classNames={{ body: css.line, labelWrapper: css.label }}
    />
  );
}

import { Modal, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { Shelved } from '../client';
import { listShelfOptions, spreadPictureMutation } from '../client/@tanstack/react-query.gen';
import { PlanIt } from '../plan/PlanIt';
import { failed, type Way } from '../plan/ways';
import { baseName, some } from '../shared/format';
import { Picture } from '../shared/Picture';
import css from './Shelf.module.css';

/** How many of the shelf are offered at once. */
const offered = 24;

interface Props {
  products: number[];
  /** What they are called, where it is one. */
  name?: string;
  /** Number of the picture that was chosen already. */
  picture?: number | undefined;
  onClose: () => void;
}

/** Puts a picture of the shelf on products: as a plan to look at. */
export function PutFromShelf({ products, name, picture, onClose }: Props) {
  const [text, setText] = useState('');
  const [q] = useDebouncedValue(text.trim(), 120);
  const [marked, setMarked] = useState(picture ?? 0);
  const [way, setWay] = useState<Way>('after');
  const navigate = useNavigate();
  const shelf = useQuery({
    ...listShelfOptions({ query: picture ? { files: [picture] } : { q, limit: offered } }),
    placeholderData: keepPreviousData,
  });
  const plan = useMutation({
    ...spreadPictureMutation(),
    onError: failed,
    onSuccess: ({ id }) => void navigate(`/plans/${id}`),
  });
  const items = shelf.data?.items ?? [];
  const onto = name ?? some(products.length, 'product');
  return (
    <Modal opened onClose={onClose} title={`Put a picture from the shelf on ${onto}`} size="lg">
      <div className="columns">
        {!picture && (
          <TextInput
            data-autofocus
            label="Words, folder or a part of the name"
            value={text}
            onChange={(e) => setText(e.currentTarget.value)}
          />
        )}
        <div className={css.offered} role="group" aria-label="On the shelf">
          {items.map((i) => (
            <Offer key={i.id} item={i} on={i.id === marked} onPress={() => setMarked(i.id)} />
          ))}
        </div>
        {shelf.data && items.length === 0 && (
          <p className="quiet">
            {q ? `Nothing on the shelf has “${q}” in it.` : 'The shelf is empty.'}{' '}
            <Link to="/shelf">To the shelf</Link>
          </p>
        )}
        <PlanIt
          way={way}
          onWay={setWay}
          onto={onto}
          disabled={!items.some((i) => i.id === marked)}
          busy={plan.isPending}
          onPlan={() =>
            plan.mutate({
              body: { file: marked, way, on: products.map((id) => ({ kind: 'product' as const, id })) },
            })
          }
        />
      </div>
    </Modal>
  );
}

function Offer({ item, on, onPress }: { item: Shelved; on: boolean; onPress: () => void }) {
  return (
    <button
      className={`link ${css.offer}${on ? ` ${css.on}` : ''}`}
      aria-pressed={on}
      onClick={onPress}
      title={item.path}
    >
      <Picture sum={item.sum} />
      <span className="mono clip block">{baseName(item.path)}</span>
      <span className="quiet small clip block">
        {[item.folder, ...item.words].filter(Boolean).join(', ')}
      </span>
    </button>
  );
}

import { Button, Modal, NumberInput, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { FileDetail } from '../client';
import { searchOptions } from '../client/@tanstack/react-query.gen';
import { count, some } from '../shared/format';
import { Picture } from '../shared/Picture';
import { aimOf, targetKey } from '../shared/target';
import type { Choice } from './choices';
import css from './dialogs.module.css';

/** Finds a product, variant or category as it is typed. */
export function ProductDialog({
  open,
  several,
  title,
  onClose,
  onPick,
}: {
  open: boolean;
  several: number;
  title?: string;
  onClose: () => void;
  onPick: (c: Choice) => void;
}) {
  return (
    <Modal
      opened={open}
      onClose={onClose}
      title={
        title ??
        (several > 1
          ? `Which product do these ${count(several)} files show?`
          : several === 1
            ? 'Which product does the chosen file show?'
            : 'Which product does it show?')
      }
      size="lg"
    >
      {open && <Finder onPick={onPick} />}
    </Modal>
  );
}

/** Finds a product, variant or category by SKU, title, GTIN or option. */
export function Finder({ onPick }: { onPick: (c: Choice) => void }) {
  const [text, setText] = useState('');
  const [asked] = useDebouncedValue(text.trim(), 80);
  const [at, setAt] = useState(0);
  const answer = useQuery({
    ...searchOptions({ query: { q: asked, limit: 12, files: false } }),
    enabled: asked !== '',
    placeholderData: keepPreviousData,
  });
  const found = asked === '' ? [] : (answer.data?.items ?? []);
  const choices: Choice[] = found.map((f) => ({
    product: f.kind === 'category' ? 0 : f.id,
    variant: f.variant ?? 0,
    category: f.kind === 'category' ? f.id : undefined,
    code: f.code,
    title: f.title,
    key: f.code,
    note: f.kind === 'product' ? 'as a whole' : f.kind === 'category' ? 'a category' : '',
    why: 'found by hand',
  }));
  const move = (step: number) => setAt((i) => Math.max(0, Math.min(choices.length - 1, i + step)));
  return (
    <div>
      <TextInput
        data-autofocus
        value={text}
        aria-label="SKU, title, GTIN or option"
        placeholder="A part of the SKU, title, GTIN, or of a category"
        size="sm"
        onChange={(e) => {
          setText(e.currentTarget.value);
          setAt(0);
        }}
        onKeyDown={(e) => {
          const chosen = choices[at];
          if (e.key === 'ArrowDown') {
            e.preventDefault();
            move(1);
          }
          if (e.key === 'ArrowUp') {
            e.preventDefault();
            move(-1);
          }
          if (e.key === 'Enter' && chosen && asked === text.trim() && !answer.isFetching) onPick(chosen);
        }}
      />
      <div className={css.found}>
        {choices.map((c, i) => (
          <button
            key={targetKey(aimOf(c))}
            className={`choice${i === at ? ' on' : ''} ${css.product}`}
            onClick={() => onPick(c)}
          >
            <span className={`fill ${css.lead}`}>
              <Picture sum={found[i]?.sum ?? ''} none="–" />
            </span>
            <span className="narrow">
              <span className="mono clip block">{c.code}</span>
              <span className="quiet clip block">{c.title}</span>
            </span>
            <span className="quiet">{c.note}</span>
          </button>
        ))}
        {asked !== '' && !answer.isFetching && choices.length === 0 && (
          <p className="quiet">Nothing is named “{asked}”.</p>
        )}
      </div>
    </div>
  );
}

const reasons = [
  'not in our range',
  'another product',
  'the same picture is there',
  'too small',
  'poor quality',
  'not free to use',
];

/** Why files are set aside: one of the usual reasons, or in words of one's own. */
export function ReasonDialog({
  open,
  several,
  onClose,
  onReason,
}: {
  open: boolean;
  several: number;
  onClose: () => void;
  onReason: (reason: string) => void;
}) {
  return (
    <Modal
      opened={open}
      onClose={onClose}
      title={several > 0 ? `Why are these ${count(several)} files set aside?` : 'Why is it set aside?'}
      size="md"
    >
      {open && <ReasonForm onReason={onReason} />}
    </Modal>
  );
}

function ReasonForm({ onReason }: { onReason: (reason: string) => void }) {
  const [text, setText] = useState('');
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        onReason(text.trim());
      }}
      className="stack"
    >
      <TextInput
        data-autofocus
        label="Reason"
        value={text}
        maxLength={300}
        onChange={(e) => setText(e.currentTarget.value)}
        placeholder="not needed"
      />
      <div className="spread wrap tight">
        {reasons.map((r) => (
          <Button key={r} onClick={() => onReason(r)}>
            {r}
          </Button>
        ))}
      </div>
      <Button type="submit" variant="filled" className="start">
        Set aside
      </Button>
    </form>
  );
}

interface PlaceAsked {
  open: boolean;
  several: number;
  file: FileDetail;
  possible: boolean;
  onClose: () => void;
  onPlace: (place: number) => void;
}

export function PlaceDialog({ open, several, file, possible, onClose, onPlace }: PlaceAsked) {
  return (
    <Modal
      opened={open}
      onClose={onClose}
      title={several > 0 ? `Places of ${some(several, 'file')}` : 'Place'}
      size="sm"
    >
      {open &&
        (possible ? (
          <PlaceForm key={file.id} several={several} start={several > 0 ? 1 : file.place} onPlace={onPlace} />
        ) : (
          <p>Pair the file first; then it can have a place.</p>
        ))}
    </Modal>
  );
}

function PlaceForm({
  several,
  start,
  onPlace,
}: {
  several: number;
  start: number;
  onPlace: (place: number) => void;
}) {
  const [place, setPlace] = useState<number | string>(start || '');
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        onPlace(Number(place) || 0);
      }}
      className="stack"
    >
      <NumberInput
        data-autofocus
        label={several > 0 ? 'First place' : 'Place in the order'}
        min={0}
        max={9999}
        value={place}
        onChange={setPlace}
        description={
          several > 0
            ? 'They are numbered from here in the order in which they were chosen, each product and ' +
              'variant on its own. Empty leaves it to the names.'
            : '1 is the lead. Empty leaves it to the names.'
        }
      />
      <Button type="submit" variant="filled">
        {several > 0 ? 'Set places' : 'Set place'}
      </Button>
    </form>
  );
}

import { Button, Checkbox, Modal } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, useState } from 'react';
import { Link } from 'react-router';
import type { GoneVariant, SheetPage as Sheet } from '../client';
import {
  listGoneOptions,
  retireGoneMutation,
  revertImportMutation,
} from '../client/@tanstack/react-query.gen';
import { count, said, some } from '../shared/format';
import { Picture } from '../shared/Picture';
import { tell, tellWithUndo } from '../shared/tell';
import { atOf, tallOf } from '../shared/virtual';
import css from './Gone.module.css';

/** Variants of the catalog that a sheet does not name, where its choices ask for them. */
export function Gone({ sheet }: { sheet: Sheet }) {
  const [open, setOpen] = useState(false);
  const asked = sheet.choices.gone === 'list' || sheet.choices.gone === 'list all';
  const judged = sheet.rehearsed === sheet.revision;
  const gone = useQuery({ ...listGoneOptions({ path: { id: sheet.id } }), enabled: asked && judged });
  if (!asked || !judged || !gone.data) return null;
  const { total, unknown } = gone.data;
  if (unknown > 0)
    return (
      <div className="note warn" role="status">
        {some(unknown, 'refused row')} may be about any variant: mend or leave out{' '}
        {unknown === 1 ? 'it' : 'them'}, then what is not named any more is listed.
      </div>
    );
  const of = sheet.choices.gone === 'list' ? 'that an earlier such sheet named' : 'of the catalog';
  return (
    <div className="note spread" role="status">
      <span>
        {total === 0
          ? `Every variant ${of} is named.`
          : `${some(total, 'variant')} ${of} ${total === 1 ? 'is' : 'are'} not named any more.`}
      </span>
      {total > 0 && (
        <Button className="push" onClick={() => setOpen(true)}>
          Look at {total === 1 ? 'it' : 'them'}
        </Button>
      )}
      <Modal opened={open} onClose={() => setOpen(false)} title="Not named by this sheet" size="lg">
        <Chosen sheet={sheet} all={gone.data.items} total={total} onDone={() => setOpen(false)} />
      </Modal>
    </div>
  );
}

interface List {
  sheet: Sheet;
  all: GoneVariant[];
  total: number;
  onDone: () => void;
}

function Chosen({ sheet, all, total, onDone }: List) {
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const client = useQueryClient();
  const fresh = () => void client.invalidateQueries();
  const back = useMutation({
    ...revertImportMutation(),
    onError: (e) => tell('Not taken back', said(e), true),
    onSuccess: fresh,
  });
  const retire = useMutation({
    ...retireGoneMutation(),
    onError: (e) => {
      tell('Nothing is retired', said(e), true);
      fresh();
    },
    onSuccess: ({ import: id }, { body }) => {
      fresh();
      onDone();
      tellWithUndo(`${some(body.variants.length, 'variant')} retired.`, () => back.mutate({ path: { id } }));
    },
  });
  const turn = (id: number) => {
    const next = new Set(chosen);
    if (!next.delete(id)) next.add(id);
    setChosen(next);
  };
  const whole = chosen.size === all.length;
  return (
    <div className="columns">
      <span className="quiet">
        Nothing is retired by itself: choose what the supplier does not have any more.
        {total > all.length && ` The first ${count(all.length)} of ${count(total)} are shown.`}
      </span>
      <Checkbox
        className={css.all}
        label={`All ${count(all.length)}`}
        checked={whole}
        indeterminate={chosen.size > 0 && !whole}
        onChange={() => setChosen(whole ? new Set() : new Set(all.map((v) => v.variant)))}
      />
      <Lines all={all} chosen={chosen} onTurn={turn} />
      <div className="spread">
        <Button
          variant="filled"
          disabled={chosen.size === 0}
          loading={retire.isPending}
          onClick={() => retire.mutate({ path: { id: sheet.id }, body: { variants: [...chosen] } })}
        >
          Retire {some(chosen.size, 'variant')}
        </Button>
        <Button onClick={onDone}>Leave them</Button>
      </div>
    </div>
  );
}

/** Pixels of a line. */
const lineHeight = 52;

function Lines({
  all,
  chosen,
  onTurn,
}: {
  all: GoneVariant[];
  chosen: ReadonlySet<number>;
  onTurn: (id: number) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: all.length,
    getScrollElement: () => box.current,
    estimateSize: () => lineHeight,
    overscan: 6,
  });
  return (
    <div className={`scroll ${css.list}`} ref={box} tabIndex={0} role="region" aria-label="Not named">
      <div className="tall" style={tallOf(rows.getTotalSize())}>
        {rows.getVirtualItems().map((row) => {
          const v = all[row.index];
          return (
            v && (
              <div key={v.variant} className={`at row ${css.line}`} style={atOf(row)}>
                <Checkbox
                  aria-label={`Retire ${v.sku}`}
                  checked={chosen.has(v.variant)}
                  onChange={() => onTurn(v.variant)}
                />
                <Picture sum={v.lead} none="–" className="small" />
                <Link className="link mono clip" to={`/products/${v.product}`}>
                  {v.sku}
                </Link>
                <span className="clip quiet" title={v.title}>
                  {v.title}
                </span>
              </div>
            )
          );
        })}
      </div>
    </div>
  );
}

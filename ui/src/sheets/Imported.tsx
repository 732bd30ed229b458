import { Button } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Link, useNavigate } from 'react-router';
import type { Import, ImportedProduct, SheetPage } from '../client';
import {
  listImportedOptions,
  makePlanMutation,
  pairBySheetMutation,
  revertImportMutation,
  unpairSheetMutation,
} from '../client/@tanstack/react-query.gen';
import { count, said, some } from '../shared/format';
import { Picture } from '../shared/Picture';
import { Failed } from '../shared/State';
import { tell } from '../shared/tell';
import css from './Imported.module.css';

/** How many products are shown as cards. */
const shown = 200;

/** What an import made or changed, as cards: products without a picture first. */
export function Imported({ of, sheet }: { of: Import; sheet: SheetPage }) {
  const products = useQuery(listImportedOptions({ path: { id: of.id }, query: { limit: shown } }));
  if (products.error) return <Failed error={products.error} again={() => void products.refetch()} />;
  const bare = products.data?.items.filter((p) => !p.gone && p.pictures === 0).length ?? 0;
  return (
    <div className="scroll">
      <PairPictures sheet={sheet} may={of.state === 'imported'} />
      <p className={css.said}>
        {of.state === 'reverted'
          ? `Taken back by ${of.revertedBy}.`
          : `${some(of.made, 'row')} made, ${count(of.changed)} changed.`}{' '}
        {of.overtaken > 0 &&
          `${some(of.overtaken, 'row')} left out: the catalog changed meanwhile. Look again.`}{' '}
        {bare > 0 && of.state !== 'reverted' && `${count(bare)} without a picture stand first.`}
      </p>
      <div className={css.cards}>
        {products.data?.items.map((p) => (
          <Card key={`${p.product ?? 0}-${p.category ?? 0}`} product={p} of={of} />
        ))}
      </div>
      {(products.data?.total ?? 0) > shown && (
        <p className={`quiet ${css.said}`}>and {count((products.data?.total ?? 0) - shown)} more.</p>
      )}
    </div>
  );
}

/** Has the pictures paired that the sheet names; they are planned and applied with their lots. */
export function PairPictures({ sheet, may }: { sheet: SheetPage; may: boolean }) {
  const navigate = useNavigate();
  const { paired, toPlan } = sheet;
  const onError = (e: unknown) => tell('Not done', said(e), true);
  const pair = useMutation({ ...pairBySheetMutation(), onError });
  const unpair = useMutation({ ...unpairSheetMutation(), onError });
  const plan = useMutation({
    ...makePlanMutation(),
    onError,
    onSuccess: ({ id }) => void navigate(`/plans/${id}`),
  });
  const path = { id: sheet.id };
  if (!may && paired === 0) return null;
  return (
    <div className={`spread ${css.said} ${css.pair}`}>
      {may && (
        <Button loading={pair.isPending} onClick={() => pair.mutate({ path })}>
          Pair its pictures
        </Button>
      )}
      {toPlan.length > 0 && (
        <Button
          variant="filled"
          loading={plan.isPending}
          onClick={() => plan.mutate({ body: { lots: toPlan, way: sheet.choices.pictures ?? 'after' } })}
        >
          Plan {toPlan.length === 1 ? 'its lot' : some(toPlan.length, 'lot')}
        </Button>
      )}
      {paired > 0 && (
        <Button loading={unpair.isPending} onClick={() => unpair.mutate({ path })}>
          Take {some(paired, 'pair')} back
        </Button>
      )}
      <span className="quiet">
        {toPlan.length > 0
          ? `Placed ${sheet.choices.pictures ?? 'after'}; what the plan changes is shown before.`
          : 'Files that the sheet names and that came in a lot are paired with what its rows are about.'}
      </span>
    </div>
  );
}

function Card({ product: p, of }: { product: ImportedProduct; of: Import }) {
  const revert = useMutation({
    ...revertImportMutation(),
    onError: (e) => tell('Not taken back', said(e), true),
  });
  return (
    <div className="card">
      <Link
        className="card"
        to={p.gone ? '#' : p.category ? `/categories/${p.category}` : `/products/${p.product}`}
        title={p.title}
        aria-disabled={p.gone}
      >
        <Picture sum={p.lead} none={p.gone ? 'not in the catalog' : 'no picture'} />
        <span className="mono clip">{p.code}</span>
        <span className="clip">{p.title}</span>
      </Link>
      <span className="spread small">
        <span className="quiet" title={p.note}>
          {p.state === 'reverted'
            ? p.note
              ? 'taken back in part'
              : 'taken back'
            : p.made
              ? 'new'
              : 'changed'}
          , row {p.row}
        </span>
        {p.state === 'imported' && of.state === 'imported' && (
          <Button
            className="push"
            size="compact-xs"
            loading={revert.isPending}
            onClick={() =>
              revert.mutate({ path: { id: of.id }, query: { product: p.product, category: p.category } })
            }
          >
            Revert
          </Button>
        )}
      </span>
    </div>
  );
}

import { Button, SegmentedControl, TextInput } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { Going, Outlet, SetOutletData, Settings } from '../client';
import {
  dispatchMutation,
  makeOutletMutation,
  removeOutletMutation,
  setOutletMutation,
} from '../client/@tanstack/react-query.gen';
import { said } from '../shared/format';
import { tell } from '../shared/tell';
import { Choice } from './Choice';
import { Dispatches } from './Dispatches';
import css from './Dispatch.module.css';
import { HandOn } from './HandOn';
import { Rehearsal } from './Rehearsal';
import { Sheet, SheetPreview } from './Sheet';
import { useKinds, Where } from './Where';

interface Props {
  /** The outlet as it is kept; none for a new one. */
  outlet?: Outlet;
  settings: Settings;
  name: string;
}

/** An outlet as a person wants it. */
type OutletInput = Omit<SetOutletData['body'], 'version'>;

type Shown = 'goes' | 'sheet' | 'where' | 'went';

/** An outlet: what it wants, where it is, what would go, and what went. */
export function OutletPage({ outlet, settings, name }: Props) {
  const [to, setTo] = useState(settings);
  const [called, setCalled] = useState(name);
  const [kind, setKind] = useState(outlet?.kind ?? 'package');
  const [address, setAddress] = useState<Record<string, string>>(outlet?.address ?? {});
  const [every, setEvery] = useState(outlet?.everyMinutes ?? 0);
  const [shown, setShown] = useState<Shown>('goes');
  const known = useKinds().find((k) => k.name === kind);
  const packed = known?.packed ?? kind === 'package';
  const changed =
    called.trim() !== name ||
    JSON.stringify(to) !== JSON.stringify(settings) ||
    (outlet && (every !== outlet.everyMinutes || JSON.stringify(address) !== JSON.stringify(outlet.address)));
  const deeds = useOutlet(outlet);
  return (
    <section className={css.outletPage} aria-label={name || 'New outlet'}>
      <div className={css.wanted}>
        <div className={`spread ${css.outletHead}`}>
          <TextInput
            data-autofocus
            className="grow"
            aria-label="Name of the outlet"
            placeholder="What it is called: Own shop, Market, Printer"
            value={called}
            onChange={(e) => setCalled(e.currentTarget.value)}
          />
          {(changed || !outlet) && (
            <Button
              variant="filled"
              loading={deeds.keeping}
              disabled={!called.trim()}
              onClick={() =>
                deeds.keep({ name: called.trim(), address, settings: to, everyMinutes: every }, kind)
              }
            >
              {packed ? 'Keep it' : 'Try and keep it'}
            </Button>
          )}
          {outlet && (
            <HandOn outlet={outlet} changed={Boolean(changed)} going={deeds.going} onGo={deeds.dispatch} />
          )}
          <SegmentedControl
            aria-label="Shown"
            value={shown}
            onChange={(v) => setShown(v as Shown)}
            data={[
              { value: 'goes', label: 'What would go' },
              { value: 'sheet', label: 'Sheet' },
              { value: 'where', label: known ? `Where: ${known.label}` : 'Where' },
              ...(outlet ? [{ value: 'went', label: 'What went' }] : []),
            ]}
          />
        </div>
        {deeds.wrong && (
          <div className="note bad" role="alert">
            {deeds.wrong}
          </div>
        )}
        {shown === 'goes' && <Choice settings={to} onChange={setTo} stands={!packed} />}
        {shown === 'sheet' && (
          <Sheet settings={to} onChange={setTo} outlet={outlet} changed={Boolean(changed)} />
        )}
        {shown === 'where' && (
          <Where
            outlet={outlet}
            kind={kind}
            onKind={(k) => {
              setKind(k);
              setAddress({});
            }}
            address={address}
            onChange={setAddress}
            every={every}
            onEvery={setEvery}
            packing={to.package ?? {}}
            onPacking={(packing) => setTo({ ...to, package: packing })}
          />
        )}
      </div>
      {shown === 'went' && outlet && <Dispatches outlet={outlet} onRemove={deeds.remove} />}
      {shown === 'sheet' && <SheetPreview settings={to} outlet={outlet?.id} />}
      {shown === 'goes' && <Rehearsal settings={to} outlet={outlet?.id} />}
    </section>
  );
}

/** What can be done with an outlet. */
function useOutlet(outlet: Outlet | undefined) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const failed = (e: unknown) => {
    tell('Nothing changed', said(e), true);
    void client.invalidateQueries();
  };
  const [wrong, setWrong] = useState('');
  const refused = (e: unknown) => setWrong(said(e));
  const kept = () => void client.invalidateQueries();
  const make = useMutation({
    ...makeOutletMutation(),
    onError: refused,
    onSuccess: ({ id }) => {
      kept();
      void navigate(`/dispatch/${id}`);
    },
  });
  const set = useMutation({ ...setOutletMutation(), onError: refused, onSuccess: kept });
  const go = useMutation({ ...dispatchMutation(), onError: failed, onSuccess: kept });
  const remove = useMutation({
    ...removeOutletMutation(),
    onError: failed,
    onSuccess: () => {
      kept();
      void navigate('/dispatch');
    },
  });
  return {
    wrong,
    keeping: make.isPending || set.isPending,
    going: go.isPending,
    keep: (wanted: OutletInput, kind: string) => {
      setWrong('');
      if (outlet) set.mutate({ path: { id: outlet.id }, body: { ...wanted, version: outlet.version } });
      else make.mutate({ body: { ...wanted, kind } });
    },
    dispatch: (how: Omit<Going, 'version'>) =>
      outlet && go.mutate({ path: { id: outlet.id }, body: { version: outlet.version, ...how } }),
    remove: () => outlet && remove.mutate({ path: { id: outlet.id } }),
  };
}

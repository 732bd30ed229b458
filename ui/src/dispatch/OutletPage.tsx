import { Button, SegmentedControl, TextInput } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { Outlet, Settings } from '../client';
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
import { Rehearsal } from './Rehearsal';

interface Props {
  /** The outlet as it is kept; none for a new one. */
  outlet?: Outlet;
  settings: Settings;
  name: string;
}

/** An outlet: what it wants, what would go, and what went. */
export function OutletPage({ outlet, settings, name }: Props) {
  const [to, setTo] = useState(settings);
  const [called, setCalled] = useState(name);
  const [receipts, setReceipts] = useState(false);
  const changed = called.trim() !== name || JSON.stringify(to) !== JSON.stringify(settings);
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
              loading={deeds.busy}
              disabled={!called.trim()}
              onClick={() => deeds.keep(called.trim(), to)}
            >
              Keep it
            </Button>
          )}
          {outlet && (
            <>
              <Button
                variant={changed ? 'default' : 'filled'}
                disabled={changed}
                title={changed ? 'Keep what you changed first' : undefined}
                loading={deeds.busy}
                onClick={deeds.dispatch}
              >
                Hand on now
              </Button>
              <SegmentedControl
                aria-label="Shown"
                value={receipts ? 'went' : 'goes'}
                onChange={(v) => setReceipts(v === 'went')}
                data={[
                  { value: 'goes', label: 'What would go' },
                  { value: 'went', label: 'What went' },
                ]}
              />
            </>
          )}
        </div>
        {!receipts && <Choice settings={to} onChange={setTo} />}
      </div>
      {receipts && outlet ? (
        <Dispatches outlet={outlet} onRemove={deeds.remove} />
      ) : (
        <Rehearsal settings={to} outlet={outlet?.id} />
      )}
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
  const kept = () => void client.invalidateQueries();
  const make = useMutation({
    ...makeOutletMutation(),
    onError: failed,
    onSuccess: ({ id }) => {
      kept();
      void navigate(`/dispatch/${id}`);
    },
  });
  const set = useMutation({ ...setOutletMutation(), onError: failed, onSuccess: kept });
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
    busy: make.isPending || set.isPending || go.isPending,
    keep: (name: string, settings: Settings) =>
      outlet
        ? set.mutate({ path: { id: outlet.id }, body: { name, settings, version: outlet.version } })
        : make.mutate({ body: { name, settings } }),
    dispatch: () => outlet && go.mutate({ path: { id: outlet.id }, body: { version: outlet.version } }),
    remove: () => outlet && remove.mutate({ path: { id: outlet.id } }),
  };
}

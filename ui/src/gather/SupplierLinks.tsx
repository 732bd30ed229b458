import { Button } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { LinkMade, SupplierLink } from '../client';
import {
  listSupplierLinksOptions,
  listSupplierLinksQueryKey,
  renewSupplierLinkMutation,
  revokeSupplierLinkMutation,
} from '../client/@tanstack/react-query.gen';
import { bytes, count, said, when } from '../shared/format';
import { Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { AskSupplier, LinkAddress } from './AskSupplier';
import css from './SupplierLinks.module.css';

/** Addresses that suppliers open without an account to hand in files. */
export function SupplierLinks() {
  const links = useQuery(listSupplierLinksOptions());
  const client = useQueryClient();
  const [adding, setAdding] = useState(false);
  const [made, setMade] = useState<LinkMade>();
  const again = () => void client.invalidateQueries({ queryKey: listSupplierLinksQueryKey() });
  const failed = (e: unknown) => tell('Nothing changed', said(e), true);
  const renew = useMutation({
    ...renewSupplierLinkMutation(),
    onSuccess: (m) => {
      setMade(m);
      again();
    },
    onError: failed,
  });
  const revoke = useMutation({ ...revokeSupplierLinkMutation(), onSuccess: again, onError: failed });
  const list = links.data?.items ?? [];
  return (
    <section className="sheet">
      <h2 className="spread">
        Supplier links
        <Button className="push" onClick={() => setAdding(true)}>
          Ask a supplier…
        </Button>
      </h2>
      {links.error && <Failed error={links.error} again={() => void links.refetch()} />}
      {links.data && list.length === 0 && (
        <div className="quiet padded-more">
          An address that a supplier opens without an account: it shows who asks and which products have no
          picture, and takes files and a spreadsheet.
        </div>
      )}
      {list.length > 0 && (
        <div className={`row th ${css.line}`}>
          <span>Supplier</span>
          <span>State</span>
          <span className="num">Ends</span>
          <span className="num">Handed in</span>
          <span className="num">Lots</span>
          <span />
        </div>
      )}
      {list.map((k) => (
        <div key={k.id} className={`row ${css.line}`}>
          <span className="clip" title={k.message}>
            {k.supplier}
            {k.category && <span className="quiet"> {k.category}</span>}
            {k.request > 0 && <span className="quiet"> for a request</span>}
          </span>
          <State link={k} />
          <span className="num quiet">{when(k.expires)}</span>
          <span className="num" title={`of ${count(k.maxFiles)} files and ${bytes(k.maxBytes)}`}>
            {count(k.files)} <span className="quiet">of {count(k.maxFiles)}</span>
          </span>
          <span className="num">{count(k.lots)}</span>
          <span className="spread to-end tight">
            <Button
              size="compact-xs"
              loading={renew.isPending}
              onClick={() => renew.mutate({ path: { id: k.id }, body: { days: 14 } })}
              title="Another address, open for 14 days; the one before ends"
            >
              New address
            </Button>
            {k.state !== 'revoked' && (
              <Button
                size="compact-xs"
                loading={revoke.isPending}
                onClick={() => revoke.mutate({ path: { id: k.id } })}
                aria-label={`Close it: the address of ${k.supplier}`}
              >
                Close it
              </Button>
            )}
          </span>
        </div>
      ))}
      {adding && (
        <AskSupplier
          onMade={(m) => {
            setAdding(false);
            setMade(m);
            again();
          }}
          onClose={() => setAdding(false)}
        />
      )}
      {made && <LinkAddress made={made} onClose={() => setMade(undefined)} />}
    </section>
  );
}

function State({ link: k }: { link: SupplierLink }) {
  return (
    <span className={k.state === 'open' ? 'clip' : 'clip quiet'}>
      {k.state === 'revoked' ? 'closed' : k.state}
    </span>
  );
}

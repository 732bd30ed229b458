import { Button, Modal, NativeSelect, NumberInput, Textarea, TextInput } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { LinkInput, LinkMade, SupplierLink } from '../client';
import {
  addSupplierLinkMutation,
  listCategoriesOptions,
  listSupplierLinksOptions,
  listSupplierLinksQueryKey,
  renewSupplierLinkMutation,
  revokeSupplierLinkMutation,
} from '../client/@tanstack/react-query.gen';
import { bytes, count, said, when } from '../shared/format';
import { Failed } from '../shared/State';
import { tell } from '../shared/tell';
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
      <Modal opened={adding} onClose={() => setAdding(false)} title="Ask a supplier for pictures">
        {adding && (
          <Ask
            onMade={(m) => {
              setAdding(false);
              setMade(m);
              again();
            }}
            onClose={() => setAdding(false)}
          />
        )}
      </Modal>
      <Modal
        opened={made !== undefined}
        onClose={() => setMade(undefined)}
        title="Send this address to the supplier"
      >
        {made && <Address made={made} onClose={() => setMade(undefined)} />}
      </Modal>
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

function Address({ made, onClose }: { made: LinkMade; onClose: () => void }) {
  const address = location.origin + made.address;
  return (
    <div className="columns">
      <span>
        Whoever has it can hand in files, and see the list of products without a picture; nothing else. It is
        shown this once; a new one can be made at any time.
      </span>
      <TextInput
        aria-label="Address"
        value={address}
        readOnly
        classNames={{ input: 'mono' }}
        onFocus={(e) => e.currentTarget.select()}
        data-autofocus
      />
      <div className="spread">
        <Button
          variant="filled"
          onClick={() => {
            void navigator.clipboard.writeText(address);
            onClose();
          }}
        >
          Copy it
        </Button>
        <Button component="a" href={made.address} target="_blank">
          See what they see
        </Button>
      </div>
    </div>
  );
}

const giga = 1_000_000_000;

function Ask({ onMade, onClose }: { onMade: (m: LinkMade) => void; onClose: () => void }) {
  const categories = useQuery(listCategoriesOptions());
  const [input, setInput] = useState<LinkInput>({
    supplier: '',
    asker: '',
    message: '',
    category: '',
    days: 14,
    maxFiles: 500,
    maxBytes: 4 * giga,
    rights: 'unknown',
    licence: '',
    credit: '',
  });
  const set = (change: Partial<LinkInput>) => setInput({ ...input, ...change });
  const add = useMutation({ ...addSupplierLinkMutation(), onSuccess: onMade });
  return (
    <form
      className="columns"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate({ body: input });
      }}
    >
      <TextInput
        label="Supplier"
        required
        value={input.supplier}
        onChange={(e) => set({ supplier: e.currentTarget.value })}
        data-autofocus
      />
      <TextInput
        label="Who asks"
        value={input.asker}
        onChange={(e) => set({ asker: e.currentTarget.value })}
        placeholder="your name and company, as the supplier knows you"
      />
      <Textarea
        label="What you write to them"
        autosize
        minRows={2}
        maxRows={6}
        value={input.message}
        onChange={(e) => set({ message: e.currentTarget.value })}
      />
      <NativeSelect
        label="List the products without a picture"
        value={input.category}
        onChange={(e) => set({ category: e.currentTarget.value })}
        data={[
          { value: '', label: 'of the whole catalog' },
          ...(categories.data?.items ?? []).map((c) => ({
            value: c.path,
            label: `${c.path} (${count(c.noPicture)})`,
          })),
        ]}
      />
      <div className="spread at-foot">
        <NumberInput
          label="Open for days"
          min={1}
          max={365}
          value={input.days}
          onChange={(n) => set({ days: Number(n) })}
          w={92}
        />
        <NumberInput
          label="At most files"
          min={1}
          max={100_000}
          value={input.maxFiles}
          onChange={(n) => set({ maxFiles: Number(n) })}
          w={92}
        />
        <NumberInput
          label="At most GB"
          min={1}
          max={1000}
          value={input.maxBytes / giga}
          onChange={(n) => set({ maxBytes: Number(n) * giga })}
          w={92}
        />
        <NativeSelect
          label="Rights"
          value={input.rights}
          onChange={(e) => set({ rights: e.currentTarget.value as LinkInput['rights'] })}
          data={['unknown', 'cleared', 'restricted']}
          className="grow"
        />
      </div>
      {add.error && (
        <div className="note bad" role="alert">
          {said(add.error)}
        </div>
      )}
      <div className="spread">
        <Button type="submit" variant="filled" loading={add.isPending}>
          Make the address
        </Button>
        <Button onClick={onClose}>Leave it</Button>
      </div>
    </form>
  );
}

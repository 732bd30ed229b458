import { Button, Modal, NativeSelect, NumberInput, Textarea, TextInput } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import type { LinkInput, LinkMade, ShotRequest } from '../client';
import { addSupplierLinkMutation } from '../client/@tanstack/react-query.gen';
import { CategoryField } from '../shared/CategoryField';
import { said, some } from '../shared/format';

/** Shows the address of a link, once, to be sent to the supplier. */
export function LinkAddress({ made, onClose }: { made: LinkMade; onClose: () => void }) {
  const address = location.origin + made.address;
  return (
    <Modal opened onClose={onClose} title="Send this address to the supplier">
      <div className="columns">
        <span>
          Whoever has it can hand in files, and see what is asked for; nothing else. It is shown this once; a
          new one can be made at any time.
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
    </Modal>
  );
}

const giga = 1_000_000_000;

interface Props {
  /** What pictures were asked for, where it is for a request. */
  request?: ShotRequest;
  onMade: (m: LinkMade) => void;
  onClose: () => void;
}

/** Makes an address that a supplier opens without an account. */
export function AskSupplier({ request, onMade, onClose }: Props) {
  const [input, setInput] = useState<LinkInput>({
    supplier: request?.name ?? '',
    ...(request && { request: request.id }),
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
    <Modal
      opened
      onClose={onClose}
      title={request ? `A link for ${request.name}` : 'Ask a supplier for pictures'}
    >
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
        {request ? (
          <span className="quiet">
            They see the {some(request.shots - request.came, 'picture')} that this request waits for, with the
            name that each file should have.
          </span>
        ) : (
          <CategoryField
            label="List the products without a picture"
            description="Of one category and those in it; empty for the whole catalog"
            value={input.category ?? ''}
            onChange={(category) => set({ category })}
          />
        )}
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
    </Modal>
  );
}

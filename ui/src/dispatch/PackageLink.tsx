import { Button, CopyButton, Modal, NumberInput, TextInput } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { Dispatch } from '../client';
import { endPackageLinkMutation, givePackageLinkMutation } from '../client/@tanstack/react-query.gen';
import { said, when } from '../shared/format';

/** How long a package is kept, and so the longest that a link leads to it, in days. */
const mostDays = 30;

/** Gives out a link by which somebody else takes a package, for some days. */
export function PackageLink({ dispatch: d }: { dispatch: Dispatch }) {
  const [open, setOpen] = useState(false);
  const [days, setDays] = useState(7);
  const client = useQueryClient();
  const give = useMutation({
    ...givePackageLinkMutation(),
    onSuccess: () => void client.invalidateQueries(),
  });
  const end = useMutation({
    ...endPackageLinkMutation(),
    onSuccess: () => {
      give.reset();
      void client.invalidateQueries();
    },
  });
  const leads = d.linkUntil && new Date(d.linkUntil) > new Date();
  const failed = give.error ?? end.error;
  const address = give.data && `${location.origin}${give.data.path}`;
  const close = () => {
    setOpen(false);
    give.reset();
  };
  return (
    <>
      <Button size="compact-xs" onClick={() => setOpen(true)}>
        Link…
      </Button>
      <Modal opened={open} onClose={close} title="Link to this package">
        <div className="columns">
          <p className="quiet flush">
            Anyone with the link can download the package until the link expires. Deleting the outlet ends its
            links.
          </p>
          {leads && (
            <div className="spread">
              <span>A link is active until {when(d.linkUntil ?? '')}. A new link replaces it.</span>
              <Button
                className="push"
                loading={end.isPending}
                onClick={() => end.mutate({ path: { id: d.id } })}
              >
                End link
              </Button>
            </div>
          )}
          {address ? (
            <div className="spread">
              <TextInput className="grow" aria-label="Link" readOnly value={address} />
              <CopyButton value={address}>
                {({ copied, copy }) => (
                  <Button variant="filled" onClick={copy}>
                    {copied ? 'Copied' : 'Copy'}
                  </Button>
                )}
              </CopyButton>
            </div>
          ) : (
            <div className="spread">
              <NumberInput
                label="Days until it expires"
                min={1}
                max={mostDays}
                allowDecimal={false}
                value={days}
                onChange={(n) => setDays(Math.min(mostDays, Math.max(1, Number(n))))}
              />
              <Button
                variant="filled"
                loading={give.isPending}
                onClick={() => give.mutate({ path: { id: d.id }, body: { days } })}
              >
                Create link
              </Button>
            </div>
          )}
          {address && <span className="quiet">Copy it now: it is not shown again.</span>}
          {failed && (
            <div className="note bad" role="alert">
              {said(failed)}
            </div>
          )}
        </div>
      </Modal>
    </>
  );
}

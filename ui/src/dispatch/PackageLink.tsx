import { Button, CopyButton, Modal, NumberInput, TextInput } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { Dispatch } from '../client';
import { givePackageLinkMutation } from '../client/@tanstack/react-query.gen';
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
      <Modal opened={open} onClose={close} title="A link to this package">
        <div className="columns">
          <p className="quiet flush">
            Whoever has it takes the package, without more, until it ends.
            {d.linkUntil &&
              ` One was given out that leads there until ${when(d.linkUntil)}: a new one ends it.`}
          </p>
          {address ? (
            <div className="spread">
              <TextInput className="grow" aria-label="The link" readOnly value={address} />
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
                label="For how many days"
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
                Give out a link
              </Button>
            </div>
          )}
          {address && <span className="quiet">It is shown this once.</span>}
          {give.error && (
            <div className="note bad" role="alert">
              {said(give.error)}
            </div>
          )}
        </div>
      </Modal>
    </>
  );
}

import { Button, Modal, TextInput } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { rehearseDispatch, type RehearsedPicture, type Settings } from '../client';
import { endExceptionsMutation, giveExceptionsMutation } from '../client/@tanstack/react-query.gen';
import { count, said, some } from '../shared/format';
import { tell, tellWithUndo } from '../shared/tell';

/** The most that are let through at once, and how many are asked for at a time. */
const most = 5000;
const page = 500;

/** Lets files through an outlet’s gate, or has it judge them as usual again; each with its way back. */
function useGate(outlet: number) {
  const client = useQueryClient();
  const again = () => void client.invalidateQueries();
  const failed = (e: unknown) => tell('Nothing changed', said(e), true);
  const end = useMutation({ ...endExceptionsMutation(), onSuccess: again, onError: failed });
  const give = useMutation({ ...giveExceptionsMutation(), onSuccess: again, onError: failed });
  const path = { id: outlet };
  return {
    busy: give.isPending || end.isPending,
    give: (sums: string[], because: string) =>
      give.mutate(
        { path, body: { sums, because } },
        {
          onSuccess: ({ files }) =>
            tellWithUndo(`${some(files, 'file')} let through there, until you take it back.`, () =>
              end.mutate({ path, body: { sums } }),
            ),
        },
      ),
    end: (sums: string[], because: string) =>
      end.mutate(
        { path, body: { sums } },
        {
          onSuccess: () =>
            tellWithUndo('Judged as usual again.', () => give.mutate({ path, body: { sums, because } })),
        },
      ),
  };
}

/** What a person can do about one picture at the gate. */
export function Through({ outlet, picture: p }: { outlet: number; picture: RehearsedPicture }) {
  const gate = useGate(outlet);
  const [asking, setAsking] = useState(false);
  if (p.because)
    return (
      <Button
        size="compact-xs"
        loading={gate.busy}
        onClick={() => gate.end([p.sum], p.because.slice(p.because.indexOf(': ') + 2))}
      >
        Hold it back again
      </Button>
    );
  if (!p.byRights) return null;
  return (
    <>
      <Button size="compact-xs" onClick={() => setAsking(true)}>
        Let it through…
      </Button>
      {asking && (
        <Why
          what={p.sku || p.code}
          busy={gate.busy}
          onClose={() => setAsking(false)}
          onGive={(because) => {
            gate.give([p.sum], because);
            setAsking(false);
          }}
        />
      )}
    </>
  );
}

interface AllProps {
  outlet: number;
  settings: Settings;
  held: number;
}

/** Lets all through that are held back for their rights. */
export function ThroughAll({ outlet, settings, held }: AllProps) {
  const client = useQueryClient();
  const gate = useGate(outlet);
  const [asking, setAsking] = useState(false);
  const collect = useMutation({
    mutationFn: async () => {
      const sums = new Set<string>();
      // Those that were seen are let through, and no others that are held back by now.
      for (let offset = 0; offset < Math.min(held, most); offset += page) {
        const body = { settings, outlet, only: 'rights' as const, offset, limit: page };
        const { items, byRights } = (await rehearseDispatch({ body, throwOnError: true })).data;
        if (byRights !== held) throw new Error('Others are held back by now. Look at them again.');
        for (const p of items) sums.add(p.sum);
      }
      return [...sums];
    },
    onError: (e) => {
      tell('Nothing changed', said(e), true);
      setAsking(false);
      void client.invalidateQueries();
    },
  });
  return (
    <>
      <Button size="compact-xs" onClick={() => setAsking(true)}>
        Let {count(held)} through…
      </Button>
      {asking && (
        <Why
          what={some(Math.min(held, most), 'picture')}
          busy={gate.busy || collect.isPending}
          onClose={() => setAsking(false)}
          onGive={(because) =>
            collect.mutate(undefined, {
              onSuccess: (sums) => {
                gate.give(sums, because);
                setAsking(false);
              },
            })
          }
        />
      )}
    </>
  );
}

interface WhyProps {
  what: string;
  busy: boolean;
  onGive: (because: string) => void;
  onClose: () => void;
}

/** Asks why something may go although its rights say otherwise. */
function Why({ what, busy, onGive, onClose }: WhyProps) {
  const [because, setBecause] = useState('');
  return (
    <Modal opened onClose={onClose} title={`Let ${what} through to this outlet`}>
      <form
        className="columns"
        onSubmit={(e) => {
          e.preventDefault();
          if (because.trim()) onGive(because.trim());
        }}
      >
        <TextInput
          data-autofocus
          label="Because"
          description="Your name and this stand in each receipt."
          placeholder="the supplier allowed it by mail on 20 November"
          maxLength={500}
          value={because}
          onChange={(e) => setBecause(e.currentTarget.value)}
        />
        <span className="quiet">
          It holds for this outlet and these bytes, each time, until it is taken back. The rights themselves
          stay as they are.
        </span>
        <div className="spread">
          <Button type="submit" variant="filled" loading={busy} disabled={!because.trim()}>
            Let through
          </Button>
          <Button onClick={onClose}>Leave it</Button>
        </div>
      </form>
    </Modal>
  );
}

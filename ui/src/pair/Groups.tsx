import { Button } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { memo } from 'react';
import type { Group, Lot, Together } from '../client';
import { acceptTogetherMutation, listGroupsOptions, setAsideMutation } from '../client/@tanstack/react-query.gen';
import { count, said, some } from '../shared/format';
import { tell } from '../shared/tell';
import type { Step } from './history';
import { useTurns } from './together';
import { clueNames, rungNames } from './words';

/** A kind of verdict as a filter of files. */
export const kindOf = (g: Group) => ({ kind: true, clue: g.clue, rung: g.rung, why: g.why, byHand: g.byHand });

const nameOf = (g: Group) => (g.byHand ? 'decided by hand' : g.why || [clueNames[g.clue] ?? g.clue, rungNames[g.rung]].filter(Boolean).join(', '));

/** The files of one verdict by the kind of their reason, so that a kind is seen and decided on together. */
export const Groups = memo(function Groups({ lot, verdict, chosen, choose, did }: { lot: Lot; verdict: Group['verdict']; chosen: Group | undefined; choose: (g: Group | undefined) => void; did: (step: Step) => void }) {
  const groups = useQuery(listGroupsOptions({ path: { id: lot.id } }));
  const mine = (groups.data?.items ?? []).filter((g) => g.verdict === verdict);
  const failed = (e: unknown) => tell('Nothing changed', said(e), true);
  const turn = useTurns(lot.id);
  const undoable = (title: string, what: Parameters<typeof turn>[0]) => (done: Together) => {
    choose(undefined);
    did(turn(what, done));
    tell(`${title}: ${some(done.files.length, 'file')}`, 'u takes it back.');
  };
  const accept = useMutation({ ...acceptTogetherMutation(), onSuccess: undoable('Accepted together', { do: 'accept' }), onError: failed });
  const aside = useMutation({ ...setAsideMutation(), onSuccess: (done, { body }) => undoable('Set aside together', { do: 'set aside', reason: body.reason })(done), onError: failed });
  if (mine.length === 0) return null;
  const busy = accept.isPending || aside.isPending;
  const same = (g: Group) => chosen !== undefined && nameOf(g) === nameOf(chosen);
  return (
    <div className="groups" role="group" aria-label="Kinds of reasons">
      {mine.map((g) => (
        <div key={nameOf(g)} className={`group${same(g) ? ' on' : ''}`}>
          <button className="link" aria-pressed={same(g)} onClick={() => choose(same(g) ? undefined : g)}><span>{nameOf(g)}{same(g) && g.sure > 0 && <span className="quiet">, weakest first</span>}</span><strong className="num">{count(g.files)}</strong></button>
          {same(g) && lot.state === 'ready' && (
            <span className="spread" style={{ gap: 6, padding: '4px 0' }}>
              {g.sure > 0 && <Button size="compact-xs" variant="filled" loading={busy} onClick={() => accept.mutate({ path: { id: lot.id }, query: { verdict: 'loose', ...kindOf(g) } })}>Accept {count(g.sure)}</Button>}
              {(verdict === 'loose' || verdict === 'contested') && (
                <Button size="compact-xs" loading={busy} onClick={() => aside.mutate({ path: { id: lot.id }, query: { verdict, ...kindOf(g) }, body: { reason: nameOf(g) } })}>Set {count(g.files)} aside</Button>
              )}
            </span>
          )}
        </div>
      ))}
    </div>
  );
});

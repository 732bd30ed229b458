import { Button } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { memo } from 'react';
import type { Group, Lot, Together } from '../client';
import {
  acceptTogetherMutation,
  listGroupsOptions,
  setAsideMutation,
} from '../client/@tanstack/react-query.gen';
import { count, said, some } from '../shared/format';
import { tell } from '../shared/tell';
import type { Doing } from './history';
import { useTurns } from './together';
import { clueNames, rungNames } from './words';

/** A kind of verdict as a filter of files. */
export const kindOf = (g: Group) => ({
  kind: true,
  clue: g.clue,
  rung: g.rung,
  why: g.why,
  byHand: g.byHand,
});

const nameOf = (g: Group) =>
  g.byHand
    ? 'decided by hand'
    : g.why || [clueNames[g.clue] ?? g.clue, rungNames[g.rung]].filter(Boolean).join(', ');

/** The files of one verdict by the kind of their reason, so that a kind is seen and decided on together. */
export const Groups = memo(function Groups({
  lot,
  verdict,
  chosen,
  choose,
  doing,
}: {
  lot: Lot;
  verdict: Group['verdict'];
  chosen: Group | undefined;
  choose: (g: Group | undefined) => void;
  doing: Doing;
}) {
  const groups = useQuery(listGroupsOptions({ path: { id: lot.id } }));
  const mine = (groups.data?.items ?? []).filter((g) => g.verdict === verdict);
  const turn = useTurns(lot.id);
  const accept = useMutation(acceptTogetherMutation());
  const aside = useMutation(setAsideMutation());
  const take = (title: string, what: Parameters<typeof turn>[0], work: Promise<Together>) =>
    doing(
      work.then(
        (done) => {
          choose(undefined);
          tell(`${title}: ${some(done.files.length, 'file')}`, 'u takes it back.');
          return turn(what, done);
        },
        (e: unknown) => {
          tell('Nothing changed', said(e), true);
          return undefined;
        },
      ),
    );
  const takeIn = (g: Group) =>
    take(
      'Accepted together',
      { do: 'accept' },
      accept.mutateAsync({ path: { id: lot.id }, query: { verdict: 'loose', ...kindOf(g) } }),
    );
  const setAside = (g: Group, verdict: 'loose' | 'contested') =>
    take(
      'Set aside together',
      { do: 'set aside', reason: nameOf(g) },
      aside.mutateAsync({
        path: { id: lot.id },
        query: { verdict, ...kindOf(g) },
        body: { reason: nameOf(g) },
      }),
    );
  if (mine.length === 0) return null;
  const busy = accept.isPending || aside.isPending;
  const same = (g: Group) => chosen !== undefined && nameOf(g) === nameOf(chosen);
  return (
    <div className="groups" role="group" aria-label="Kinds of reasons">
      {mine.map((g) => (
        <div key={nameOf(g)} className={`group${same(g) ? ' on' : ''}`}>
          <button className="link" aria-pressed={same(g)} onClick={() => choose(same(g) ? undefined : g)}>
            <span>
              {nameOf(g)}
              {same(g) && g.sure > 0 && <span className="quiet">, weakest first</span>}
            </span>
            <strong className="num">{count(g.files)}</strong>
          </button>
          {same(g) && lot.state === 'ready' && (
            <span className="spread tight airy">
              {g.sure > 0 && (
                <Button size="compact-xs" variant="filled" loading={busy} onClick={() => takeIn(g)}>
                  Accept {count(g.sure)}
                </Button>
              )}
              {(verdict === 'loose' || verdict === 'contested') && (
                <Button size="compact-xs" loading={busy} onClick={() => setAside(g, verdict)}>
                  Set {count(g.files)} aside
                </Button>
              )}
            </span>
          )}
        </div>
      ))}
    </div>
  );
});

import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { ClueList, ClueSetting, Lot, NamedClues } from '../client';
import { previewClues } from '../client';
import {
  addClueListMutation,
  changeClueListMutation,
  getLotCluesQueryKey,
  listClueListsQueryKey,
  readLotWithMutation,
} from '../client/@tanstack/react-query.gen';

function usePreview(lot: number, list: ClueList) {
  const [asked] = useDebouncedValue(list, 150);
  return useQuery({
    queryKey: [{ _id: 'previewClues' }, lot, asked],
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 0,
    queryFn: async ({ signal }) =>
      (await previewClues({ path: { id: lot }, body: asked, signal, throwOnError: true })).data,
  });
}

/** A clue list on its way to be kept: what it would do to the lot, and how it is kept and read with. */
export function useClueList(lot: Lot, now: NamedClues, onRead: () => void) {
  const client = useQueryClient();
  const [list, setList] = useState<ClueList>(now.list);
  const [always, setAlways] = useState(lot.originId > 0);
  const preview = usePreview(lot.id, list);
  const add = useMutation(addClueListMutation());
  const change = useMutation(changeClueListMutation());
  const use = useMutation(readLotWithMutation());
  const readWith = async (id: number) => {
    await use.mutateAsync({ path: { id: lot.id }, body: { list: id, always } });
    void client.invalidateQueries({ queryKey: getLotCluesQueryKey({ path: { id: lot.id } }) });
    void client.invalidateQueries({ queryKey: listClueListsQueryKey() });
    onRead();
  };
  const keep = async (name: string) => {
    let id = now.id;
    if (now.id > 0 && name === now.name)
      await change.mutateAsync({ path: { id: now.id }, body: { name, list, version: now.version } });
    else id = (await add.mutateAsync({ body: { name, list } })).id;
    await readWith(id);
  };
  /** Lets two clues change places, by where they stand in the list. */
  const swap = (one: number, other: number) => {
    const clues = [...list.clues];
    const [first, second] = [clues[one], clues[other]];
    if (!first || !second) return;
    clues[one] = second;
    clues[other] = first;
    setList({ ...list, clues });
  };
  return {
    list,
    setList,
    set: (at: number, next: Partial<ClueSetting>) =>
      setList({ ...list, clues: list.clues.map((c, i) => (i === at ? { ...c, ...next } : c)) }),
    swap,
    changed: JSON.stringify(list) !== JSON.stringify(now.list),
    always,
    setAlways,
    preview,
    readWith,
    keep,
    working: add.isPending || change.isPending || use.isPending,
  };
}

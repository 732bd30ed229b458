import { Button } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { SheetPage as Sheet } from '../client';
import { fetchSheetPicturesMutation } from '../client/@tanstack/react-query.gen';
import { said, some } from '../shared/format';
import { tell } from '../shared/tell';

/** Offers to fetch the pictures that a sheet names by address and that are not here. */
export function ToFetch({ sheet }: { sheet: Sheet }) {
  const fetch = useMutation({
    ...fetchSheetPicturesMutation(),
    onError: (e) => tell('Nothing is fetched', said(e), true),
  });
  const missing = sheet.totals.questions
    .filter((q) => q.judgement === 'not fetched')
    .reduce((n, q) => n + q.cells, 0);
  if (missing === 0) return null;
  return (
    <div className="note spread" role="status">
      <span>
        {some(missing, 'picture')} {missing === 1 ? 'stands' : 'stand'} at an address, not fetched yet.{' '}
        {fetch.data && (
          <>
            They come as <Link to={`/lots/${fetch.data.id}`}>a lot</Link>, and are looked at.
          </>
        )}
      </span>
      <Button
        className="push"
        loading={fetch.isPending}
        disabled={fetch.isSuccess}
        onClick={() => fetch.mutate({ path: { id: sheet.id } })}
      >
        Fetch them
      </Button>
    </div>
  );
}

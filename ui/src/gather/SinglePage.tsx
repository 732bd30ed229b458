import { Button, TextInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { said } from '../shared/format';
import { Empty } from '../shared/State';
import { PageChoice } from './PageChoice';
import { picturesOptions } from './workshop/questions';

/** Every picture that one page knows, in its largest rendition, to choose from. */
export function SinglePage() {
  const [search, setSearch] = useSearchParams();
  const address = search.get('address') ?? '';
  const [typed, setTyped] = useState(address);
  const page = useQuery(picturesOptions(address));
  return (
    <>
      <form
        className="head"
        onSubmit={(e) => {
          e.preventDefault();
          setSearch({ address: typed.trim() });
        }}
      >
        <h1 className="titled unbroken">One page</h1>
        <TextInput
          aria-label="Address of the page"
          value={typed}
          onChange={(e) => setTyped(e.currentTarget.value)}
          placeholder="https://supplier.example/product"
          className="grow"
          classNames={{ input: 'mono' }}
          autoFocus
        />
        <Button
          type="submit"
          variant={page.data ? 'default' : 'filled'}
          loading={page.isFetching}
          disabled={!typed.trim().startsWith('http')}
        >
          Look
        </Button>
      </form>
      {page.error && (
        <div className="note bad spaced" role="alert">
          {said(page.error)}
        </div>
      )}
      {!address && (
        <Empty title="No page yet.">
          Enter an address. Every picture that the page knows is listed, with its largest rendition measured;
          nothing is fetched before you choose.
        </Empty>
      )}
      {page.isFetching && !page.data && (
        <p className="quiet pad">Reading the page and measuring its pictures…</p>
      )}
      {page.data && page.data.pictures.length === 0 && (
        <Empty title="No picture on this page.">
          Its pictures may be brought in by scripts only. A drive or an archive from the supplier is the surer
          way.
        </Empty>
      )}
      {page.data && page.data.pictures.length > 0 && (
        <PageChoice
          key={page.data.address}
          address={page.data.address}
          title={page.data.title}
          pictures={page.data.pictures}
        />
      )}
    </>
  );
}

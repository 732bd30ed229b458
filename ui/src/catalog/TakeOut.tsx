import { Button, Modal, SegmentedControl } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { listCatalogColumnsOptions } from '../client/@tanstack/react-query.gen';
import { ColumnChoice } from '../shared/ColumnChoice';
import { Failed } from '../shared/State';
import { queryOf, type Wanted } from './Products';

/** Takes the products that are shown out as a sheet, or an empty one to fill in. */
export function TakeOut({ wanted, onClose }: { wanted: Wanted; onClose: () => void }) {
  const [format, setFormat] = useState('xlsx');
  const [picked, setPicked] = useState<string[]>();
  const columns = useQuery(listCatalogColumnsOptions());
  const items = columns.data?.items ?? [];
  const chosen = picked ?? items.map((c) => c.name);
  const query = Object.fromEntries(
    Object.entries(queryOf(wanted)).flatMap(([name, value]) => (value ? [[name, String(value)]] : [])),
  );
  const asked = new URLSearchParams({ ...query, format });
  for (const name of chosen) asked.append('column', name);
  return (
    <Modal opened onClose={onClose} title="Take the products out as a sheet">
      <div className="columns loosely">
        <p className="flush quiet">
          Every variant that is shown is a row. Brought in again on Sheets, what you did not change is the
          same.
        </p>
        <SegmentedControl
          aria-label="Format"
          value={format}
          onChange={setFormat}
          data={[
            { value: 'xlsx', label: 'XLSX' },
            { value: 'csv', label: 'CSV' },
          ]}
        />
        {columns.error ? (
          <Failed error={columns.error} again={() => void columns.refetch()} />
        ) : (
          <ColumnChoice
            all={items.map((c) => [c.name, c.header])}
            chosen={chosen}
            onChoose={(list) => setPicked(list.includes('sku') ? list : ['sku', ...list])}
          />
        )}
        <div className="spread">
          <Button
            component="a"
            href={`/media/catalog?${asked.toString()}`}
            variant="filled"
            disabled={!columns.data}
            onClick={onClose}
          >
            Take out
          </Button>
          <Button component="a" href={`/media/catalog/template?format=${format}`} onClick={onClose}>
            An empty one to fill in
          </Button>
        </div>
      </div>
    </Modal>
  );
}

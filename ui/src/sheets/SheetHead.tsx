import { Button, Menu, Modal, NativeSelect, TextInput } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { SheetPage } from '../client';
import {
  importSheetMutation,
  keepMappingMutation,
  readSheetAgainMutation,
  rehearseSheetMutation,
  revertImportMutation,
} from '../client/@tanstack/react-query.gen';
import { said, some } from '../shared/format';
import { tell } from '../shared/tell';
import { ChoicesMenu } from './ChoicesMenu';

const failed = (e: unknown) => tell('Not done', said(e), true);

/** What a sheet is, what an import of it shall do, and the import itself. */
export function SheetHead({ sheet, working }: { sheet: SheetPage; working: boolean }) {
  const [keeping, setKeeping] = useState(false);
  const [reverting, setReverting] = useState(false);
  const client = useQueryClient();
  const bring = useMutation({
    ...importSheetMutation(),
    onError: (e) => {
      failed(e);
      void client.invalidateQueries(); // what overtook it is shown
    },
    onSuccess: () => void client.invalidateQueries(),
  });
  const rehearse = useMutation({ ...rehearseSheetMutation(), onError: failed });
  const verdicts = sheet.totals.verdicts;
  const rows = (verdicts['make'] ?? 0) + (verdicts['change'] ?? 0);
  const judged = sheet.state === 'open' && sheet.rehearsed === sheet.revision && !sheet.problem;
  const newest = sheet.imports[0];
  // One that was stopped in between can be taken back as far as it came.
  const done = newest?.state === 'imported' || newest?.state === 'importing';
  const standing = newest && done && newest.standing > 0 ? newest : undefined;
  return (
    <div className="head">
      <div className="narrow">
        <h1 className="clip titled" title={sheet.name}>
          {sheet.name}
        </h1>
        <span className="quiet">{standingOf(sheet)}</span>
      </div>
      <div className="spread push fixed">
        {sheet.state === 'open' && <Where sheet={sheet} />}
        {sheet.state === 'open' && <ChoicesMenu sheet={sheet} />}
        {sheet.state === 'open' && <Button onClick={() => setKeeping(true)}>Keep mapping…</Button>}
        {judged && <BackToSender sheet={sheet} />}
        {sheet.stale && judged && (
          <Button loading={rehearse.isPending} onClick={() => rehearse.mutate({ path: { id: sheet.id } })}>
            Judge again
          </Button>
        )}
        {standing && !working && <Button onClick={() => setReverting(true)}>Revert…</Button>}
        {sheet.state === 'open' && (
          <Button
            variant="filled"
            disabled={!judged || rows === 0 || working}
            loading={bring.isPending}
            onClick={() => bring.mutate({ path: { id: sheet.id }, body: { revision: sheet.revision } })}
          >
            Import {some(rows, 'row')}
          </Button>
        )}
      </div>
      <KeepMapping sheet={sheet} open={keeping} onClose={() => setKeeping(false)} />
      {standing && (
        <TakeBack
          id={standing.id}
          products={standing.standing}
          open={reverting}
          onClose={() => setReverting(false)}
        />
      )}
    </div>
  );
}

function standingOf(sheet: SheetPage): string {
  if (sheet.state === 'reading') return 'Being read …';
  if (sheet.state !== 'open') return '';
  if (sheet.problem) return sheet.problem;
  const parts = [`Header in row ${sheet.header}`];
  if (sheet.importing) parts.push('an import is under way, or was stopped: it goes on, or is taken back');
  if (sheet.mappedAs) parts.push(`mapped as “${sheet.mappedAs}”`);
  if (sheet.macros) parts.push('its macros are not run');
  if (sheet.rehearsed !== sheet.revision) parts.push('being rehearsed …');
  else if (sheet.stale) parts.push('the catalog changed since it was judged');
  else parts.push('nothing changes until you import');
  return parts.join(', ') + '.';
}

/** The judged sheet, to go back to who sent it: their columns, with what is in question marked. */
function BackToSender({ sheet }: { sheet: SheetPage }) {
  const at = `/media/sheets/${sheet.id}/judged`;
  return (
    <Menu position="bottom-end">
      <Menu.Target>
        <Button>Send back…</Button>
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Item component="a" href={`${at}?format=xlsx`}>
          As XLSX, cells in question marked
        </Menu.Item>
        <Menu.Item component="a" href={`${at}?format=xlsx&verdict=refused`}>
          Only the refused rows
        </Menu.Item>
        <Menu.Item component="a" href={`${at}?format=csv`}>
          As CSV
        </Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}

/** Which worksheet is read, and which row is its header. */
function Where({ sheet }: { sheet: SheetPage }) {
  const again = useMutation({ ...readSheetAgainMutation(), onError: failed });
  const read = (worksheet: string, header: number) =>
    again.mutate({ path: { id: sheet.id }, body: { worksheet, header } });
  return (
    <>
      {sheet.worksheets.length > 1 && (
        <NativeSelect
          aria-label="Worksheet"
          value={sheet.worksheet}
          onChange={(e) => read(e.currentTarget.value, 0)}
          data={sheet.worksheets.map((w) => ({
            value: w.name,
            label: w.hidden ? `${w.name} (hidden)` : w.name,
          }))}
        />
      )}
      <Menu position="bottom-end">
        <Menu.Target>
          <Button>Header: row {sheet.header}</Button>
        </Menu.Target>
        <Menu.Dropdown>
          {Array.from({ length: 9 }, (_, i) => Math.max(1, sheet.header - 4) + i).map((n) => (
            <Menu.Item key={n} disabled={n === sheet.header} onClick={() => read(sheet.worksheet, n)}>
              Row {n}
            </Menu.Item>
          ))}
        </Menu.Dropdown>
      </Menu>
    </>
  );
}

function KeepMapping({ sheet, open, onClose }: { sheet: SheetPage; open: boolean; onClose: () => void }) {
  const [name, setName] = useState(sheet.mappedAs || sheet.name.replace(/\.[^.]*$/, ''));
  const from = sheet.lots.find((lot) => lot.own && lot.from)?.from;
  const keep = useMutation({
    ...keepMappingMutation(),
    onError: failed,
    onSuccess: () => {
      tell('Kept', `Sheets with these headers come mapped as “${name}”.`);
      onClose();
    },
  });
  return (
    <Modal opened={open} onClose={onClose} title="Keep this mapping">
      <div className="columns">
        <TextInput label="Name" value={name} onChange={(e) => setName(e.currentTarget.value)} />
        <span className="quiet">
          The next sheet with these headers is mapped so by itself
          {from && `, and so is the next from ${from} that has about half of them`}.
        </span>
        <div className="spread">
          <Button
            variant="filled"
            disabled={name.trim() === ''}
            loading={keep.isPending}
            onClick={() => keep.mutate({ path: { id: sheet.id }, body: { name: name.trim() } })}
          >
            Keep it
          </Button>
          <Button onClick={onClose}>Leave it</Button>
        </div>
      </div>
    </Modal>
  );
}

interface Back {
  id: number;
  products: number;
  open: boolean;
  onClose: () => void;
}

function TakeBack({ id, products, open, onClose }: Back) {
  const revert = useMutation({ ...revertImportMutation(), onError: failed });
  return (
    <Modal opened={open} onClose={onClose} title="Take this import back?">
      <p className="flush">
        {some(products, 'product')} will be as before: what the import made goes, what it changed gets its
        fields back. What somebody changed since then stays.
      </p>
      <div className="spread">
        <Button
          variant="filled"
          loading={revert.isPending}
          onClick={() => {
            revert.mutate({ path: { id } });
            onClose();
          }}
        >
          Revert {some(products, 'product')}
        </Button>
        <Button onClick={onClose}>Leave it</Button>
      </div>
    </Modal>
  );
}

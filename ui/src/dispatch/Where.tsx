import { Button, NativeSelect, NumberInput } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import type { Outlet, OutletKind, PackageSettings } from '../client';
import { listOutletKindsOptions, tryOutletMutation } from '../client/@tanstack/react-query.gen';
import { timetables } from '../gather/Terms';
import { said, when } from '../shared/format';
import { Setting } from '../shared/Setting';
import css from './Dispatch.module.css';

/** The kinds of outlets, as they are offered. */
export function useKinds(): OutletKind[] {
  return useQuery({ ...listOutletKindsOptions(), staleTime: Infinity }).data?.items ?? [];
}

interface Props {
  outlet: Outlet | undefined;
  kind: string;
  onKind: (kind: string) => void;
  address: Record<string, string>;
  onChange: (to: Record<string, string>) => void;
  /** Minutes between the times that it goes by itself; 0 for never. */
  every: number;
  onEvery: (minutes: number) => void;
  /** How it is packed, of kinds that are. */
  packing: PackageSettings;
  onPacking: (to: PackageSettings) => void;
}

/** Where pictures go: the kind of the outlet, and what it asks for. */
export function Where(props: Props) {
  const { outlet, kind, onKind, address, onChange, every, onEvery, packing, onPacking } = props;
  const kinds = useKinds();
  const known = kinds.find((k) => k.name === kind);
  return (
    <div className={css.where} role="group" aria-label="Where it goes">
      {!outlet && (
        <NativeSelect
          label="Kind"
          data={kinds.map((k) => ({ value: k.name, label: k.label }))}
          value={kind}
          onChange={(e) => onKind(e.currentTarget.value)}
        />
      )}
      <NativeSelect
        label="It goes"
        description={outlet?.nextAt && every > 0 ? `next ${when(outlet.nextAt)}` : undefined}
        data={timetables}
        value={String(every)}
        onChange={(e) => onEvery(Number(e.currentTarget.value))}
      />
      {known?.fields.map((field) => (
        <Setting
          key={field.name}
          field={field}
          kept={outlet !== undefined}
          value={address[field.name] ?? ''}
          onChange={(value) => onChange({ ...address, [field.name]: value })}
        />
      ))}
      {known?.packed && <Packing packing={packing} onChange={onPacking} />}
      {known?.packed && (
        <p className={`quiet flush ${css.whole}`}>
          Pictures are packed with a sheet beside them, in folders where their names have slashes.{' '}
          {known.fields.length === 0
            ? 'The package is taken from “What went”, or by a link that is given out there.'
            : 'Whoever gets the mail takes the package by the link in it, until that ends.'}
        </p>
      )}
      {known && !known.packed && (
        <p className={`quiet flush ${css.whole}`}>
          It is tried before it is kept: nothing stays there of it. In addresses and values, fields in
          brackets stand for what a picture is: [sku] [place] [text] [file] …
        </p>
      )}
      {outlet && known && !known.packed && <Try outlet={outlet} />}
    </div>
  );
}

function Try({ outlet }: { outlet: Outlet }) {
  const trying = useMutation(tryOutletMutation());
  return (
    <div className={`spread ${css.whole}`}>
      <Button loading={trying.isPending} onClick={() => trying.mutate({ path: { id: outlet.id } })}>
        Try it as it is kept
      </Button>
      {trying.isSuccess && <span role="status">It answers as it should.</span>}
      {trying.error && (
        <span className={css.warned} role="alert">
          {said(trying.error)}
        </span>
      )}
    </div>
  );
}

/** How pictures are packed: the format, and how large a part is at most. */
function Packing({
  packing,
  onChange,
}: {
  packing: PackageSettings;
  onChange: (to: PackageSettings) => void;
}) {
  return (
    <>
      <NativeSelect
        label="Packed as"
        data={[
          { value: 'zip', label: 'ZIP' },
          { value: 'tar', label: 'TAR' },
        ]}
        value={packing.format ?? 'zip'}
        onChange={(e) => onChange({ ...packing, format: e.currentTarget.value as 'zip' })}
      />
      <NumberInput
        label="In parts of at most"
        placeholder="one part"
        suffix=" MB"
        min={1}
        max={100_000}
        allowDecimal={false}
        value={packing.mostMB || ''}
        onChange={(n) => onChange({ ...packing, mostMB: Number(n) })}
      />
    </>
  );
}

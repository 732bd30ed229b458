import { Button, Modal } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { Fragment, useState } from 'react';
import { Link } from 'react-router';
import type { LotFile, SheetPage as Sheet } from '../client';
import { listUnnamedFilesOptions } from '../client/@tanstack/react-query.gen';
import { baseName, count, some } from '../shared/format';
import { Picture } from '../shared/Picture';
import { Failed } from '../shared/State';
import { Verdict } from '../shared/Verdict';
import css from './CameWith.module.css';

/** The lots that a sheet came with, and their files that no row names. */
export function CameWith({ sheet }: { sheet: Sheet }) {
  const [open, setOpen] = useState(false);
  const lots = sheet.lots;
  const unnamed = useQuery({
    ...listUnnamedFilesOptions({ path: { id: sheet.id } }),
    enabled: lots.length > 0,
  });
  if (lots.length === 0) return null;
  const left = unnamed.data?.total ?? 0;
  return (
    <div className="note spread" role="status">
      <span>
        {lots.map((lot, i) => (
          <Fragment key={lot.id}>
            {i > 0 && ' '}
            {lot.own ? 'It came with ' : 'Its pictures were fetched as '}
            <Link to={`/lots/${lot.id}`}>{lot.name}</Link> ({some(lot.files, 'picture')}).
          </Fragment>
        ))}{' '}
        {unnamed.data &&
          (left === 0
            ? 'Each is in a row.'
            : `${some(left, 'picture')} ${left === 1 ? 'is' : 'are'} in no row.`)}
      </span>
      {left > 0 && (
        <Button className="push" onClick={() => setOpen(true)}>
          Which?
        </Button>
      )}
      <Modal
        opened={open}
        onClose={() => setOpen(false)}
        title={`${some(left, 'picture')} in no row`}
        size="xl"
      >
        {unnamed.error ? (
          <Failed error={unnamed.error} again={() => void unnamed.refetch()} />
        ) : (
          <div className={css.files}>
            {unnamed.data?.items.map((file) => (
              <Unnamed key={file.id} file={file} />
            ))}
            {left > (unnamed.data?.items.length ?? 0) && (
              <span className="quiet">and {count(left - (unnamed.data?.items.length ?? 0))} more.</span>
            )}
          </div>
        )}
      </Modal>
    </div>
  );
}

/** Opens on the bench, where it is paired by hand or set aside. */
function Unnamed({ file }: { file: LotFile }) {
  return (
    <Link className="card link" to={`/pair/${file.lot}?file=${file.id}`} title={file.path}>
      <Picture sum={file.sum} none="not a picture" />
      <span className="mono clip">{baseName(file.path)}</span>
      <span className="clip">
        <Verdict verdict={file.verdict} text={file.code || file.verdict} />
      </span>
    </Link>
  );
}

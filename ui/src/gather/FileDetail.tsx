import { Button, Modal } from '@mantine/core';
import { useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import type { File } from '../client';
import { bytes } from '../shared/format';
import { large, original } from '../shared/Picture';
import { HandedOn } from '../dispatch/HandedOn';
import { History } from '../record/History';
import { SaveForLater } from '../shelf/SaveForLater';
import { Needs, Places, useHistory } from '../upkeep/History';
import { Marks } from './Marks';
import { HeldBack, RightsForm } from './Rights';
import css from './FileDetail.module.css';

/** One file, large, with all that is known of it. */
export function FileDetail({ file, onClose }: { file: File | undefined; onClose: () => void }) {
  return (
    <Modal
      opened={file !== undefined}
      onClose={onClose}
      title={<span className="mono">{file?.path}</span>}
      size="92vw"
    >
      {file && <Detail file={file} onClose={onClose} />}
    </Modal>
  );
}

/** What a file tells beside its rights, which may not be meant for others. */
const revealed = ({ stated }: File) =>
  [stated.located && 'where it was taken (GPS)', stated.serial && 'a serial number of the camera']
    .filter(Boolean)
    .join(', ');

function Detail({ file, onClose }: { file: File; onClose: () => void }) {
  const [changing, setChanging] = useState(false);
  const [saving, setSaving] = useState(false);
  const said = Object.entries((file.said ?? {}) as Record<string, string>);
  const stated: [string, string | undefined][] = [
    ['Creator', file.stated.creator],
    ['Copyright notice', file.stated.notice],
    ['Credit line', file.stated.credit],
    ['Usage terms', file.stated.terms],
    ['Web statement of rights', file.stated.statement],
    ['Private details', revealed(file)],
  ];
  const facts: [string, string][] = [
    ['Pixels', `${file.width} × ${file.height}`],
    ['Type', file.type],
    ['Size', bytes(file.bytes)],
    ['Colours', file.colour + (file.alpha ? ', transparent' : '')],
    ['Product', file.code || file.reason || file.problem],
  ];
  return (
    <div className={css.detail}>
      <div className={`mat ${css.picture}`}>{file.sum && <img src={large(file.sum)} alt={file.path} />}</div>
      <div className={`scroll ${css.about}`} tabIndex={0} role="region" aria-label="About this file">
        {file.marks.length > 0 && (
          <>
            <h3 className="stephead flush">To look at</h3>
            {file.marks.map((m) => (
              <div key={m.name} className="airy">
                <Marks file={{ ...file, marks: [m] }} /> <span className="quiet">{m.measure}</span>
              </div>
            ))}
          </>
        )}
        <h3 className="stephead">File</h3>
        <Facts list={facts} />
        <WhereItStands file={file.id} />
        <h3 className="stephead">Rights</h3>
        <div className="spread airy">
          <HeldBack file={file} />
          <span className="quiet">{[file.licence, file.credit].filter(Boolean).join(', ')}</span>
          <Button className="push" onClick={() => setChanging(true)}>
            Change…
          </Button>
        </div>
        {file.heldBack && <div className="quiet">Not to be handed on: {file.heldBack}.</div>}
        {stated.some(([, v]) => v) && (
          <>
            <h3 className="stephead">The file says of itself</h3>
            <Facts list={stated} />
          </>
        )}
        {said.length > 0 && (
          <>
            <h3 className="stephead">Its source says</h3>
            <dl className="facts airy">
              {said.map(([name, v]) => (
                <div key={name}>
                  <dt>{name}</dt>
                  <dd className="mono">{v}</dd>
                </div>
              ))}
            </dl>
          </>
        )}
        <div className={`spread ${css.rights}`}>
          <Button component={Link} to={`/pair/${file.lot}?file=${file.id}`}>
            On the bench
          </Button>
          {file.sum && !file.problem && <Button onClick={() => setSaving(true)}>Save for later…</Button>}
          {saving && <SaveForLater files={[file.id]} onClose={() => setSaving(false)} />}
          {file.sum && (
            <Button component="a" href={original(file.sum, file.path)}>
              As it came
            </Button>
          )}
        </div>
        <History kind="file" id={file.id} />
      </div>
      <RightsForm
        open={changing}
        onClose={() => {
          setChanging(false);
          onClose();
        }}
        lot={file.lot}
        filter={{ q: '' }}
        file={file}
      />
    </div>
  );
}

/** Who needs it, and where it ever stood. */
function WhereItStands({ file }: { file: number }) {
  const { needs, stood } = useHistory(file);
  return (
    <>
      <h3 className="stephead">{needs.length > 0 ? 'Needed' : 'Needed by nothing'}</h3>
      <Needs needs={needs} />
      <Places stood={stood} />
      <HandedOn file={file} />
    </>
  );
}

/** What is known, each with its name; what is empty is left out. */
function Facts({ list }: { list: [string, ReactNode][] }) {
  return (
    <dl className="facts airy">
      {list
        .filter(([, v]) => v)
        .map(([name, v]) => (
          <div key={name}>
            <dt>{name}</dt>
            <dd>{v}</dd>
          </div>
        ))}
    </dl>
  );
}

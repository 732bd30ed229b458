import { Button, Menu, Textarea } from '@mantine/core';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Shown, Target } from '../client';
import { baseName, bytes } from '../shared/format';
import { original, Picture } from '../shared/Picture';
import { sameTarget, targetKey } from '../shared/target';
import type { Arranging } from './arrange';
import type { Owner } from './owner';

/** The marked picture, and what can be done with it. beside: the one that it is held beside. */
export function Details({
  owner,
  picture,
  beside,
  arranging,
  onAlt,
  onView,
  onRemove,
  onCompare,
  onSpread,
  onTransfer,
}: {
  owner: Owner;
  picture: Shown;
  beside: Shown | undefined;
  arranging: Arranging;
  onAlt: () => void;
  onView: () => void;
  onRemove: () => void;
  onCompare: () => void;
  onSpread: () => void;
  /** Moves it to another product, or copies it there. */
  onTransfer: () => void;
}) {
  return (
    <div className="details">
      <div className="fill">
        <Picture sum={picture.sum} alt={picture.alt} />
      </div>
      <div className="mono clip" title={picture.path}>
        {baseName(picture.path)}
      </div>
      <span className="quiet">
        {picture.width} × {picture.height}, {bytes(picture.bytes)}, from{' '}
        <Link to={`/lots/${picture.lot}`}>{picture.lotName}</Link>
      </span>
      <div>
        <span className="quiet">View</span>
        <div>{picture.view || <span className="quiet">unknown</span>}</div>
      </div>
      <div>
        <span className="quiet">Alternative text{picture.altBy === 'draft' ? ', drafted' : ''}</span>
        <div>{picture.alt || <span className="quiet">none</span>}</div>
      </div>
      <div className="spread wrap">
        <Button onClick={onView}>Set view</Button>
        <Button onClick={onAlt}>Edit text</Button>
        <ToTarget
          label="Move to…"
          owner={owner}
          picture={picture}
          onPick={(variant) => arranging.move(picture, variant)}
        />
        <ToTarget
          label="Copy to…"
          owner={owner}
          picture={picture}
          onPick={(variant) => arranging.copy(picture, variant)}
        />
        <Button onClick={onCompare}>{beside ? 'Hold side by side' : 'Hold beside another'}</Button>
        <Button component="a" href={original(picture.sum, baseName(picture.path))}>
          Save original
        </Button>
        <Button onClick={onTransfer}>Move to product…</Button>
        <Button component={Link} to={`/pair/${picture.lot}?file=${picture.file}`}>
          Wrong product?
        </Button>
        <Button onClick={onSpread}>Put on categories…</Button>
        <Button onClick={onRemove}>Remove</Button>
      </div>
    </div>
  );
}

/** Chooses another variant, or the product as a whole. */
function ToTarget({
  label,
  owner,
  picture,
  onPick,
}: {
  label: string;
  owner: Owner;
  picture: Shown;
  onPick: (target: Target) => void;
}) {
  if (owner.targets.length < 2) return null;
  const targets = owner.targets.filter((t) => !sameTarget(t.target, picture.target));
  return (
    <Menu position="bottom-start">
      <Menu.Target>
        <Button disabled={targets.length === 0}>{label}</Button>
      </Menu.Target>
      <Menu.Dropdown mah={320} className="scrolls">
        {targets.map((t) => (
          <Menu.Item key={targetKey(t.target)} onClick={() => onPick(t.target)}>
            {t.code ? t.name : 'the product as a whole'}
          </Menu.Item>
        ))}
      </Menu.Dropdown>
    </Menu>
  );
}

export function AltForm({ picture, onSave }: { picture: Shown; onSave: (text: string) => void }) {
  const [text, setText] = useState(picture.alt);
  return (
    <form
      className="columns"
      onSubmit={(e) => {
        e.preventDefault();
        onSave(text.trim());
      }}
    >
      <Textarea
        data-autofocus
        label="What the picture shows"
        description="Left empty, it is drafted anew from title, options and view."
        value={text}
        onChange={(e) => setText(e.currentTarget.value)}
        maxLength={500}
        autosize
        minRows={2}
      />
      <Button type="submit" variant="filled">
        Save text
      </Button>
    </form>
  );
}

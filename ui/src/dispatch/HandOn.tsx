import { ActionIcon, Button, Menu, Modal } from '@mantine/core';
import { IconChevronDown } from '@tabler/icons-react';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { rehearseDispatch, type Going, type Outlet } from '../client';
import { said, some } from '../shared/format';
import { tell } from '../shared/tell';

interface Props {
  outlet: Outlet;
  /** What is shown is not kept yet. */
  changed: boolean;
  going: boolean;
  onGo: (how: Omit<Going, 'version'>) => void;
}

/** What a person is asked about before it is sent: 0 where nothing is. */
interface Asked {
  gone: number;
  renamed: number;
}

/** Sends; where many of the pictures at the outlet would be deleted or renamed, that is asked about first. */
export function HandOn({ outlet, changed, going, onGo }: Props) {
  const [asked, setAsked] = useState<Asked>();
  const looking = useMutation({
    mutationFn: async () => {
      const body = { settings: outlet.settings, outlet: outlet.id, limit: 0 };
      return (await rehearseDispatch({ body, throwOnError: true })).data;
    },
    onError: (e) => tell('Nothing changed', said(e), true),
    onSuccess: (view) => {
      const gone = view.massive && outlet.settings.remove ? view.gone : 0;
      const renamed = view.renaming ? view.renamed : 0;
      if (gone + renamed > 0) setAsked({ gone, renamed });
      else onGo({});
    },
  });
  const go = (how: Omit<Going, 'version'>) => {
    setAsked(undefined);
    onGo(how);
  };
  return (
    <>
      <Button
        variant={changed ? 'default' : 'filled'}
        disabled={changed}
        title={changed ? 'Keep what you changed first' : undefined}
        loading={going || looking.isPending}
        onClick={() => looking.mutate()}
      >
        Hand on now
      </Button>
      {outlet.last && (
        <Menu position="bottom-end">
          <Menu.Target>
            <ActionIcon variant="subtle" aria-label="Other ways to hand on" disabled={changed || going}>
              <IconChevronDown size={16} />
            </ActionIcon>
          </Menu.Target>
          <Menu.Dropdown>
            <Menu.Item onClick={() => onGo({ again: true })}>
              Hand all on again, also what stands there just so
            </Menu.Item>
          </Menu.Dropdown>
        </Menu>
      )}
      {asked && <Confirm outlet={outlet} asked={asked} onGo={go} onClose={() => setAsked(undefined)} />}
    </>
  );
}

interface ConfirmProps {
  outlet: Outlet;
  asked: Asked;
  onGo: (how: Omit<Going, 'version'>) => void;
  onClose: () => void;
}

/** Asks whether so many pictures are to be deleted or renamed at the outlet. */
function Confirm({ outlet, asked: { gone, renamed }, onGo, onClose }: ConfirmProps) {
  const verbs = renamed > 0 && gone > 0 ? 'Rename and delete' : renamed > 0 ? 'Rename' : 'Delete';
  const what = some(Math.max(renamed, gone), 'picture');
  const title = renamed > 0 && gone > 0 ? `${verbs} pictures` : `${verbs} ${what}`;
  return (
    <Modal opened onClose={onClose} title={`${title} at ${outlet.name}?`}>
      {renamed > 0 && (
        <p className="flush">
          With these name settings, {some(renamed, 'picture')} at {outlet.name} get new names. Each is sent
          under its new name first, then its earlier name is deleted.
        </p>
      )}
      {gone > 0 && (
        <p className="flush">
          {some(gone, 'picture')} at {outlet.name} {gone > 1 ? 'are' : 'is'} no longer selected.
        </p>
      )}
      <div className="spread">
        <Button variant="filled" onClick={() => onGo({ takeAway: gone, rename: renamed })}>
          {title}
        </Button>
        <Button
          onClick={() => onGo({})}
          title="The other pictures are sent; these stay as they are at the outlet."
        >
          {gone === 0 ? 'Keep the names' : renamed === 0 ? 'Keep the pictures' : 'Keep both'}
        </Button>
        <Button variant="subtle" onClick={onClose}>
          Cancel
        </Button>
      </div>
    </Modal>
  );
}

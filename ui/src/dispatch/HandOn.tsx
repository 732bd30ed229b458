import { ActionIcon, Button, Menu, Modal } from '@mantine/core';
import { IconChevronDown } from '@tabler/icons-react';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { rehearseDispatch, type Going, type Outlet } from '../client';
import { count, said, some } from '../shared/format';
import { tell } from '../shared/tell';

interface Props {
  outlet: Outlet;
  /** What is shown is not kept yet. */
  changed: boolean;
  going: boolean;
  onGo: (how: Omit<Going, 'version'>) => void;
}

/** Hands on; where much of what stands there would be taken away, that is asked about first. */
export function HandOn({ outlet, changed, going, onGo }: Props) {
  const [gone, setGone] = useState(0);
  const looking = useMutation({
    mutationFn: async () => {
      const body = { settings: outlet.settings, outlet: outlet.id, limit: 0 };
      return (await rehearseDispatch({ body, throwOnError: true })).data;
    },
    onError: (e) => tell('Nothing changed', said(e), true),
    onSuccess: (view) => (view.massive && outlet.settings.remove ? setGone(view.gone) : onGo({})),
  });
  const go = (takeAway: number) => {
    setGone(0);
    onGo({ takeAway });
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
      <Modal opened={gone > 0} onClose={() => setGone(0)} title={`Take ${some(gone, 'picture')} away there?`}>
        <p className="flush">
          That is much of what stands at {outlet.name}. Is the choice as you mean it? Without your word they
          are left there, and the rest is handed on.
        </p>
        <div className="spread">
          <Button variant="filled" onClick={() => go(0)}>
            Hand on, and leave them
          </Button>
          <Button onClick={() => go(gone)}>Take {count(gone)} away, too</Button>
          <Button variant="subtle" onClick={() => setGone(0)}>
            Leave it
          </Button>
        </div>
      </Modal>
    </>
  );
}

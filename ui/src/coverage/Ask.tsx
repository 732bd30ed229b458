import { Anchor, Button, Modal, Switch, TextInput } from '@mantine/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { Covered } from '../client';
import { makeRequestMutation } from '../client/@tanstack/react-query.gen';
import { said, some } from '../shared/format';

interface Props {
  coverage: Covered;
  category: string;
  query: string;
  /** Shows the pictures whose view is unknown. */
  onViews: () => void;
  onClose: () => void;
}

/** Asks somebody for what is missing. */
export function Ask({ coverage: c, category, query, onViews, onClose }: Props) {
  const [name, setName] = useState('');
  const [again, setAgain] = useState(false);
  const client = useQueryClient();
  const navigate = useNavigate();
  const make = useMutation({
    ...makeRequestMutation(),
    onSuccess: () => {
      void client.invalidateQueries();
      onClose();
      void navigate('/dispatch/requests');
    },
  });
  return (
    <Modal opened onClose={onClose} title="Ask for what is missing">
      <form
        className="columns"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate({
            body: { name: name.trim(), again, ...(category && { category }), ...(query && { q: query }) },
          });
        }}
      >
        <p className="flush">
          {some(c.missing, 'picture')} {c.missing === 1 ? 'is' : 'are'} missing
          {c.below > 0 && `, and ${some(c.below, 'picture')} too small`}
          {category && ` in ${category}`}. Each goes out with the name that its file should have: with that
          name it pairs by itself, and is ticked off here.
        </p>
        {c.unknown > 0 && (
          <p className="note flush">
            {some(c.unknown, 'picture')} of these products {c.unknown === 1 ? 'has' : 'have'} an unknown view
            and may show what is missing.{' '}
            <Anchor component="button" type="button" onClick={onViews}>
              Set their views first
            </Anchor>
          </p>
        )}
        <TextInput
          data-autofocus
          label="Whom, or what it is for"
          placeholder="Studio, spring"
          maxLength={200}
          value={name}
          onChange={(e) => setName(e.currentTarget.value)}
        />
        <Switch
          size="xs"
          label="Also what another request waits for"
          checked={again}
          onChange={(e) => setAgain(e.currentTarget.checked)}
        />
        {make.error && (
          <div className="note bad" role="alert">
            {said(make.error)}
          </div>
        )}
        <div className="spread">
          <Button type="submit" variant="filled" disabled={!name.trim()} loading={make.isPending}>
            Make the request
          </Button>
          <Button onClick={onClose}>Cancel</Button>
        </div>
      </form>
    </Modal>
  );
}

import { Button, Drawer, TextInput } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import type { MailingView, Message } from '../client';
import {
  getMailingOptions,
  getMailingQueryKey,
  listMessagesOptions,
  readMessagesMutation,
  setMailingMutation,
} from '../client/@tanstack/react-query.gen';
import { said, when } from './format';
import { Empty, Failed } from './State';
import { tell } from './tell';
import css from './Messages.module.css';

/** What was said at the ends of runs, and whether it also goes by mail. */
export function Messages({ open, onClose }: { open: boolean; onClose: () => void }) {
  const messages = useQuery({ ...listMessagesOptions(), enabled: open });
  const read = useMutation({
    ...readMessagesMutation(),
    onError: (e) => tell('Not marked as read', said(e), true),
  });
  const newest = messages.data?.items[0];
  const close = () => {
    if (newest && messages.data?.items.some((m) => !m.readAt)) read.mutate({ path: { id: newest.id } });
    onClose();
  };
  return (
    <Drawer
      opened={open}
      onClose={close}
      title="Messages"
      position="right"
      size={460}
      padding={0}
      styles={{ header: { padding: '10px 14px' } }}
    >
      {open && <ByMail />}
      {messages.error ? (
        <Failed error={messages.error} again={() => void messages.refetch()} />
      ) : messages.data?.items.length === 0 ? (
        <Empty title="No messages yet.">
          When a plan has been applied or taken back, it is said here what was done, what was not, and why;
          and when a sweep found something new.
        </Empty>
      ) : (
        messages.data?.items.map((m) => <Letter key={m.id} message={m} onFollow={close} />)
      )}
    </Drawer>
  );
}

const mailed: Record<Message['mailState'], string> = {
  '': '',
  waiting: 'on its way to',
  sent: 'mailed to',
  failed: 'not mailed to',
};

/** Where what a message is about is shown. */
function placeOf(message: Message): string | undefined {
  if (message.sheet) return `/sheets/${message.sheet}`;
  if (message.plan) return `/plans/${message.plan}`;
  return message.sweep ? '/upkeep?fresh=1' : undefined;
}

export function Letter({ message, onFollow }: { message: Message; onFollow?: () => void }) {
  const to = placeOf(message);
  return (
    <article className={`letter${message.readAt ? '' : ' unread'}`}>
      <div className="spread">
        {to ? (
          <Link className="link" to={to} onClick={onFollow}>
            <strong>{message.title}</strong>
          </Link>
        ) : (
          <strong>{message.title}</strong>
        )}
        <span className="push quiet fixed">{when(message.at)}</span>
      </div>
      <pre>{message.body}</pre>
      {message.mailState && (
        <span className="quiet lesser">
          {mailed[message.mailState]} {message.mailTo}
          {message.mailProblem && `: ${message.mailProblem}`}
        </span>
      )}
    </article>
  );
}

function ByMail() {
  const mailing = useQuery(getMailingOptions());
  return mailing.data ? <MailForm key={mailing.data.version} mailing={mailing.data} /> : null;
}

function MailForm({ mailing }: { mailing: MailingView }) {
  const client = useQueryClient();
  const [address, setAddress] = useState(mailing.address);
  const set = useMutation({
    ...setMailingMutation(),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: getMailingQueryKey() });
      tell('Kept', address.trim() ? `Messages also go to ${address.trim()}.` : 'Messages do not go by mail.');
    },
  });
  return (
    <form
      className={css.mailing}
      onSubmit={(e) => {
        e.preventDefault();
        set.mutate({ body: { address, version: mailing.version } });
      }}
    >
      <div className="spread at-foot eased">
        <TextInput
          className="grow"
          type="email"
          label="Also by mail to"
          value={address}
          disabled={!mailing.possible}
          placeholder="nobody"
          error={set.error ? said(set.error) : undefined}
          onChange={(e) => setAddress(e.currentTarget.value)}
        />
        <Button
          type="submit"
          disabled={!mailing.possible || address.trim() === mailing.address}
          loading={set.isPending}
        >
          Keep
        </Button>
      </div>
      <span className="quiet lesser">
        {!mailing.possible ? (
          'No mail server is set: give one with AMBROSA_SMTP.'
        ) : mailing.mailbox ? (
          <>
            The sample data’s mails arrive in{' '}
            <a href={mailing.mailbox} target="_blank" rel="noreferrer">
              the sample mailbox
            </a>{' '}
            and go nowhere else.
          </>
        ) : (
          'Empty means that nothing is mailed.'
        )}
      </span>
    </form>
  );
}

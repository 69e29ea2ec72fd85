import { CloseButton, Paper, Text } from '@mantine/core';
import { useAction, useSelection } from 'floe/react';
import { notice, noticeDismissed } from '../model/index.js';

/** What the officer is told in passing, above the history. */
export function Notice() {
  const text = useSelection(notice);
  const dismiss = useAction(noticeDismissed);
  if (text === null) return null;
  return (
    <Paper withBorder shadow="md" className="notice" role="alert" aria-label="Notice">
      <Text size="sm">{text}</Text>
      <CloseButton size="sm" aria-label="Dismiss the notice" onClick={dismiss} />
    </Paper>
  );
}

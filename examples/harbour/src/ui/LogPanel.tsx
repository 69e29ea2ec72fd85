import { Group, Paper, Text, Textarea, Title } from '@mantine/core';
import { useAction, useSelection } from 'floe/react';
import { note, noteWritten, pickedVisit, type Visit } from '../model/index.js';
import { PhaseBadge } from './PhaseBadge.js';
import { clock } from './times.js';

/** The picked visit, and what the next watch should know. */
export function LogPanel() {
  const picked = useSelection(pickedVisit);
  const text = useSelection(note);
  const write = useAction(noteWritten);
  return (
    <Paper component="section" withBorder className="panel panel-log" aria-label="Picked visit and log">
      <Title order={2} size="h5" className="panel-head">
        {picked ? picked.vessel.name : 'No visit picked'}
      </Title>
      <div className="log-body">
        {picked ? (
          <VisitDetails visit={picked} />
        ) : (
          <Text size="sm" c="dimmed">
            Pick a visit in the list or a berth above.
          </Text>
        )}
        <Textarea
          label="Log note for the next watch"
          description="Kept in this browser; it survives a reload."
          value={text}
          onChange={(event) => write(event.currentTarget.value)}
          autosize
          minRows={2}
          maxRows={4}
        />
      </div>
    </Paper>
  );
}

function VisitDetails({ visit }: { readonly visit: Visit }) {
  const { vessel, place, services } = visit;
  return (
    <div>
      <Group gap="xs" mb={4}>
        <PhaseBadge phase={visit.phase} />
        <Text size="sm">
          {clock(visit.arrives)} to {clock(visit.departs)} at{' '}
          {place.kind === 'berth' ? `${place.id}, ${place.quay}` : `${place.id}, ${place.name}`}
        </Text>
      </Group>
      <Text size="sm" c="dimmed">
        {vessel.kind} {vessel.hull}, {vessel.length} m, draught {vessel.draught} m · {vessel.operator.name} (
        {vessel.operator.flag})
      </Text>
      {services.length > 0 && (
        <Text size="sm" c="dimmed">
          {services.map((service) => `${service.kind} ${service.status}, ${service.crew.name}`).join(' · ')}
        </Text>
      )}
    </div>
  );
}

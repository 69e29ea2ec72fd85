import { Button, Group, Paper, Text, Textarea, TextInput, Title } from '@mantine/core';
import { useAction, useSelection } from 'floe/react';
import { useState, type SyntheticEvent } from 'react';
import { note, noteWritten, pickedVisit, type VisitWhole } from '../model/index.js';
import { PhaseBadge } from './PhaseBadge.js';
import { clock } from './times.js';
import { useWork } from './work-context.js';

/** The picked visit, and what the next watch should know. */
export function LogPanel() {
  const picked = useSelection(pickedVisit);
  const text = useSelection(note);
  const write = useAction(noteWritten);
  return (
    <Paper component="section" withBorder className="panel panel-log" aria-label="Picked visit and log">
      {picked ? (
        <VesselName key={picked.vessel.hull} hull={picked.vessel.hull} name={picked.vessel.name} />
      ) : (
        <Title order={2} size="h5" className="panel-head">
          No visit picked
        </Title>
      )}
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

/** The name of a vessel; a new one shows wherever the vessel does. */
function VesselName({ hull, name }: { readonly hull: string; readonly name: string }) {
  const { rename } = useWork();
  const [next, setNext] = useState<string>();
  const [problem, setProblem] = useState<string>();
  if (next === undefined)
    return (
      <Group className="panel-head" justify="space-between" wrap="nowrap">
        <Title order={2} size="h5">
          {name}
        </Title>
        <Button size="compact-xs" variant="default" onClick={() => setNext(name)}>
          Rename
        </Button>
      </Group>
    );
  const close = (): void => {
    setNext(undefined);
    setProblem(undefined);
  };
  const submit = (event: SyntheticEvent): void => {
    event.preventDefault();
    rename(hull, next).then(close, (error: unknown) =>
      setProblem(error instanceof Error ? error.message : String(error)),
    );
  };
  return (
    <form className="panel-head" onSubmit={submit}>
      <Group gap="xs" wrap="nowrap" align="flex-start">
        <TextInput
          aria-label="Name of the vessel"
          size="sm"
          flex={1}
          value={next}
          error={problem}
          autoFocus
          onChange={(event) => setNext(event.currentTarget.value)}
          onKeyDown={(event) => {
            if (event.key === 'Escape') close();
          }}
        />
        <Button size="sm" type="submit">
          Save
        </Button>
        <Button size="sm" variant="default" onClick={close}>
          Back
        </Button>
      </Group>
    </form>
  );
}

function VisitDetails({ visit }: { readonly visit: VisitWhole }) {
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

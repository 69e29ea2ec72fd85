import { Button, Group, Text, Title } from '@mantine/core';
import { DatePickerInput } from '@mantine/dates';
import { useAction, useSelection } from 'floe/react';
import type { Persistence } from 'floe/persist';
import { useState } from 'react';
import { counts, dayPicked, dayShown, freeBerths, loading, shiftEnded, waiting } from '../model/index.js';
import { BerthPanel } from './BerthPanel.js';
import { LogPanel } from './LogPanel.js';
import { PlanVisit } from './PlanVisit.js';
import { Stored } from './Stored.js';
import { VisitPanel } from './VisitPanel.js';

/** The whole room: the day's visits on the left, berths and the log on the right. */
export function ControlRoom({ persistence }: { readonly persistence: Persistence }) {
  const [planning, setPlanning] = useState(false);
  const [showsStored, setShowsStored] = useState(false);
  const endShift = useAction(shiftEnded);
  return (
    <main className="room">
      <Group component="header" className="room-head" justify="space-between" wrap="wrap" gap="sm">
        <div>
          <Title order={1} size="h3">
            Skerrow Harbour
          </Title>
          <Text size="sm" c="dimmed">
            Control room · all times UTC
          </Text>
        </div>
        <DayFigures />
        <Group gap="sm">
          <DayPicker />
          <Button onClick={() => setPlanning(true)}>Plan a visit</Button>
          <StoredButton onClick={() => setShowsStored(true)} />
          <Button variant="default" onClick={() => endShift()}>
            End shift
          </Button>
        </Group>
      </Group>
      <VisitPanel />
      <div className="room-side">
        <BerthPanel />
        <LogPanel />
      </div>
      <Stored persistence={persistence} opened={showsStored} onClose={() => setShowsStored(false)} />
      <PlanVisit opened={planning} onClose={() => setPlanning(false)} />
    </main>
  );
}

/** Says how much waits to be sent. */
function StoredButton({ onClick }: { readonly onClick: () => void }) {
  const count = useSelection(waiting);
  return (
    <Button variant="default" onClick={onClick}>
      {count === 0 ? 'Kept here' : `Kept here, ${count} unsent`}
    </Button>
  );
}

function DayPicker() {
  const day = useSelection(dayShown);
  const pickDay = useAction(dayPicked);
  return (
    <DatePickerInput
      aria-label="Day"
      w={170}
      value={day}
      valueFormat="ddd D MMM YYYY"
      onChange={(picked) => {
        if (picked) pickDay(picked);
      }}
    />
  );
}

function DayFigures() {
  const { all, alongside, expected } = useSelection(counts);
  const free = useSelection(freeBerths);
  const known = useSelection(loading) === 'done';
  const figures = [
    ['visits', all],
    ['alongside', alongside],
    ['still expected', expected],
    ['berths free', free.length],
  ] as const;
  return (
    <Group gap="xl" aria-label="The day in figures" role="group">
      {figures.map(([label, value]) => (
        <div key={label} className="figure">
          <span className="figure-value">{known ? value : '–'}</span>
          <span className="figure-label">{label}</span>
        </div>
      ))}
    </Group>
  );
}

import { Badge } from '@mantine/core';
import type { Phase } from '../model/index.js';

const colours: Record<Phase, string> = { expected: 'blue', alongside: 'teal', departed: 'gray', cancelled: 'red' };

export const PhaseBadge = ({ phase }: { readonly phase: Phase }) => (
  <Badge variant="light" color={colours[phase]} radius="sm" tt="none" fw={600} className="phase">
    {phase}
  </Badge>
);

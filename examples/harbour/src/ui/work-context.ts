import { createContext, useContext } from 'react';
import type { Work } from '../work.js';

const WorkContext = createContext<Work | undefined>(undefined);

export const WorkProvider = WorkContext.Provider;

export function useWork(): Work {
  const work = useContext(WorkContext);
  if (!work) throw new Error('useWork needs a WorkProvider above it.');
  return work;
}

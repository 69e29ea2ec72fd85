import { createContext, createElement, useContext, useState, type ReactElement } from 'react';
import { flushSync } from 'react-dom';
import { createRoot, type Root } from 'react-dom/client';
import { RuntimeProvider, useSelection } from 'floe/react';
import type { Rows, Sides } from './page.js';

const line = (value: number): ReactElement => createElement('li', null, value);

function rows(element: ReactElement, change: (value: number) => void): Rows {
  let root: Root;
  return {
    mount(place) {
      root = createRoot(place);
      flushSync(() => root.render(element));
      // Subscribing happens in effects that follow.
      flushSync(() => undefined);
    },
    change: (value) => flushSync(() => change(value)),
    unmount: () => flushSync(() => root.unmount()),
  };
}

export const floe: Sides['floe'] = (n, selectionOf, { runtime, change }) => {
  const Row = ({ index }: { readonly index: number }) => line(useSelection(selectionOf(index)));
  const all = Array.from({ length: n }, (_, index) => createElement(Row, { key: index, index }));
  return rows(createElement(RuntimeProvider, { runtime }, all), change);
};

export const own: Sides['own'] = (n, shown) => {
  const Value = createContext(0);
  let set: (value: number) => void;
  const Row = ({ index }: { readonly index: number }) => line(shown(useContext(Value), index));
  const all = Array.from({ length: n }, (_, index) => createElement(Row, { key: index, index }));
  const List = () => {
    const [value, setValue] = useState(0);
    set = setValue;
    return createElement(Value.Provider, { value }, all);
  };
  return rows(createElement(List), (value) => set(value));
};

// floe/entities: entity types, tables, nested responses in, flat rows kept once, nested and sorted views out.
export { entity, rowOf, linkTo, listOf, mapOf, byKind } from './entity.js';
export { tables } from './tables.js';
export { tableOf } from './table.js';

export type {
  Entity,
  NoLinks,
  OneLink,
  KindLink,
  ListLink,
  MapLink,
  AnyEntity,
  EntityOptions,
  RowOf,
  RowIn,
  RecordOf,
  KeyOf,
  Link,
  LinkOptions,
  Removed,
} from './entity.js';
export type { TableStore, RowKey, Ingest, RowsAction } from './table-store.js';
export type { Ingested, IngestOptions, Skipped } from './ingested.js';
export type { ExpandOptions } from './expand.js';
export type { Incoming, Expanded, StateOfTables } from './types.js';
export type { ViewOptions, GroupedView, Conditions, SortBy } from './view.js';
export type { Rows, Group } from './rows.js';
export type { LinkedRow } from './link-rules.js';
export type { Table, TableDraft } from './table-types.js';

/** The source of a module that exports the stores of the demo, changed. */
export function changedModel(model: string): string;

// Where keys are text.

/** Whether what is typed there is text. */
export function isField(event: Event): boolean {
  const [target] = event.composedPath();
  const element = target as Partial<HTMLElement> & { readonly matches?: (selector: string) => boolean };
  return (
    element.isContentEditable === true || element.matches?.('input:not([type=checkbox]), textarea, select') === true
  );
}

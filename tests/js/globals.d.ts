// What the pages' scripts find around them, and what a component of theirs is.

/** A component: its own values and functions; what the framework adds (`$root`, `$refs`, `$el`, `$nextTick`) is not known here. */
type Component = () => Record<string, any> & ThisType<any>;

declare const Alpine: {
  data(name: string, component: Component): void;
  $data(element: Element): any;
};
declare const htmx: any;
declare const uPlot: any;

// A query finds elements of whatever kind the page has; which kind that is, the page's own tests know.
interface Element {
  value: any;
  readonly dataset: DOMStringMap;
  open: boolean;
  showModal(): void;
  blur(): void;
  click(): void;
  readonly style: CSSStyleDeclaration;
  readonly offsetWidth: number;
}
interface EventTarget {
  closest(selectors: string): any;
}
interface Event {
  readonly detail: any;
}
interface URLSearchParams {
  readonly size: number;
}

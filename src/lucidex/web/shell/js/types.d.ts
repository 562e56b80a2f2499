// Types of what the pages' scripts find in the window.
interface AlpineLike {
  data<T extends object>(name: string, make: () => T & ThisType<T>): void;
}
interface HtmxContext {
  sourceElement: Element;
  request: { action: string; method: string; headers: Record<string, string>; body?: unknown };
  response?: { status: number };
}
interface HtmxLike {
  ajax(verb: string, path: string, options: object): Promise<void>;
  trigger(element: Element, name: string): void;
}
interface Window {
  Alpine: AlpineLike;
  htmx: HtmxLike;
}

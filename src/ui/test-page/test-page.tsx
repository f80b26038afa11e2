import { QueryClient, QueryClientProvider, timeoutManager } from '@tanstack/react-query';
import { act, cleanup, configure, render, screen, waitFor, within } from '@testing-library/react';
import userEvent, { type UserEvent } from '@testing-library/user-event';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { NuqsTestingAdapter } from 'nuqs/adapters/testing';
import type { ReactNode } from 'react';
import { toast, Toaster } from 'sonner';
import type { Command } from '@/core/plan/commands';
import type { Plan } from '@/core/plan/plan';
import { demoPlan, newPlan } from '@/server/plans';
import { atOnce } from '@/core/plan/in-steps';
import { applyBatch } from '@/server/edit';
import { sessionOf } from '@/server/sessions';
import { closeServer, serverState, type ServerState } from '@/server/state';
import { TestField } from '@/field/live/test-field';
import { openPlan, planNow } from '@/ui/session/plan-store';
import { serveInProcess } from './in-process';

/** Components in a page of their own, with a server, a database and the worker behind them. */
export interface TestPage {
  readonly planId: string;
  readonly user: UserEvent;
  /** The plan as the server has it. */
  readonly saved: () => Plan;
  /** What devices report; told to the page by `fieldChanged`. */
  readonly field: TestField;
  readonly fieldChanged: () => Promise<void>;
  /** Closes the page, and opens the plan in another. */
  readonly reopen: (component: ReactNode) => Promise<void>;
  /** Somebody else changes the plan; resolves when the page has heard of it. */
  readonly another: (title: string, ...commands: Command[]) => Promise<void>;
  /** What stands in the address behind the path. */
  readonly query: () => URLSearchParams;
}

// A busy machine takes its time; what does not come at all is found out all the same.
configure({ asyncUtilTimeout: 20_000 });

// Answers that are kept for a while do not keep the tests from ending.
timeoutManager.setTimeoutProvider({
  setTimeout: (run, ms) => setTimeout(run, ms).unref(),
  setInterval: (run, ms) => setInterval(run, ms).unref(),
  clearTimeout: (timer) => clearTimeout(timer),
  clearInterval: (timer) => clearInterval(timer),
});

/** As Chromium measures: rows are shown where a list has a height. */
const WIDTH = 1280;
const HEIGHT = 800;

const LABELABLE = [
  HTMLButtonElement,
  HTMLInputElement,
  HTMLMeterElement,
  HTMLOutputElement,
  HTMLProgressElement,
  HTMLSelectElement,
  HTMLTextAreaElement,
];

function firstLabelable(within: Element): Element | null {
  for (let at = within.firstElementChild; at !== null; at = at.nextElementSibling) {
    const found = LABELABLE.some((kind) => at instanceof kind) ? at : firstLabelable(at);
    if (found !== null) return found;
  }
  return null;
}

/** The labels of a control: what is around it, and what names it by its id. */
function labelsOf(control: Element): HTMLLabelElement[] {
  const { id, ownerDocument } = control;
  const naming = id === '' ? [] : [...ownerDocument.querySelectorAll<HTMLLabelElement>(`label[for="${id}"]`)];
  for (let around = control.parentElement; around !== null; around = around.parentElement) {
    if (!(around instanceof HTMLLabelElement) || around.htmlFor !== '') continue;
    return firstLabelable(around) === control ? [...naming, around] : naming;
  }
  return naming;
}

/** jsdom goes through the whole document for the labels of each control, which are asked for with every look for a field by its label. */
function quickenLabels(): void {
  for (const { prototype } of LABELABLE)
    Object.defineProperty(prototype, 'labels', {
      configurable: true,
      get(this: Element) {
        return labelsOf(this);
      },
    });
}

const ownStyle = (element: Element, property: string): string =>
  element.hasAttribute('style') ? (element as HTMLElement).style.getPropertyValue(property) : '';

/** By the `style` attribute of the element, or of the nearest around it that says. */
function inheritedStyle(element: Element, property: string): string {
  for (let at: Element | null = element; at !== null; at = at.parentElement) {
    const value = ownStyle(at, property);
    if (value !== '') return value;
  }
  return '';
}

/**
 * jsdom matches every rule of every style sheet with each element whose style is asked for, as each look for something by its role asks for those of
 * all elements. Whether something is shown depends on its kind and on `style` attributes alone: pages in tests have no style sheet of ours.
 */
function quickenStyles(): void {
  const computed = window.getComputedStyle.bind(window);
  const displays = new Map<string, string>();
  const displayOfKind = (element: Element): string => {
    const type = element instanceof HTMLInputElement ? element.type : '';
    const kind = `${element.localName} ${type}`;
    let display = displays.get(kind);
    if (display === undefined) {
      const bare = document.createElementNS(element.namespaceURI, element.localName);
      if (type !== '') bare.setAttribute('type', type);
      displays.set(kind, (display = computed(bare).display));
    }
    return display;
  };
  const quick: Readonly<Record<string, (element: Element) => string>> = {
    display: (element) => ownStyle(element, 'display') || displayOfKind(element),
    visibility: (element) => inheritedStyle(element, 'visibility') || 'visible',
    pointerEvents: (element) => inheritedStyle(element, 'pointer-events') || 'auto',
  };
  window.getComputedStyle = (element, pseudo) =>
    new Proxy({} as CSSStyleDeclaration, {
      get(_, name) {
        if (name === 'getPropertyValue')
          return (property: string) =>
            quick[property]?.(element) ?? computed(element, pseudo).getPropertyValue(property);
        return quick[name as string]?.(element) ?? Reflect.get(computed(element, pseudo), name);
      },
    });
}

/** What jsdom does not lay out, nor know of. */
function completeDocument(): void {
  quickenLabels();
  quickenStyles();
  Object.defineProperties(HTMLElement.prototype, {
    offsetHeight: { configurable: true, get: () => HEIGHT },
    offsetWidth: { configurable: true, get: () => WIDTH },
    clientHeight: { configurable: true, get: () => HEIGHT },
    scrollIntoView: { configurable: true, value: () => undefined },
    setPointerCapture: { configurable: true, value: () => undefined },
    releasePointerCapture: { configurable: true, value: () => undefined },
    scrollTo: { configurable: true, value: () => undefined },
  });
  // Files are read as in a browser.
  const read = (blob: Blob) =>
    new Promise<ArrayBuffer>((resolve) => {
      const reader = new FileReader();
      reader.onload = () => resolve(reader.result as ArrayBuffer);
      reader.readAsArrayBuffer(blob);
    });
  Object.defineProperties(Blob.prototype, {
    arrayBuffer: {
      configurable: true,
      value(this: Blob) {
        return read(this);
      },
    },
    text: {
      configurable: true,
      async value(this: Blob) {
        return new TextDecoder().decode(await read(this));
      },
    },
  });
  const observer = class {
    observe() {}
    unobserve() {}
    disconnect() {}
  };
  Object.assign(globalThis, { ResizeObserver: observer, IntersectionObserver: observer });
  window.matchMedia ??= (query) =>
    ({ matches: false, media: query, addEventListener() {}, removeEventListener() {} }) as unknown as MediaQueryList;
}

let folder = '';
let close = () => {};

/** Call once in a test file. */
export function inTestPages(): void {
  beforeAll(() => {
    completeDocument();
    serveInProcess();
  });
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'jade-lane-page-'));
    process.env['JADE_DATA'] = folder;
    process.env['JADE_LOG'] = 'silent';
    closeServer();
    localStorage.clear();
  });
  afterEach(() => {
    cleanup();
    act(() => close());
    close = () => {};
    rmSync(folder, { recursive: true, force: true });
  });
}

const someone = { id: 'someone-else', name: 'Second engineer' };

interface Prepared {
  readonly query?: string;
  /** What was done to the plan before. */
  readonly before?: readonly Command[];
  readonly hasField?: boolean;
  /** Sets the field up before the page opens. */
  readonly prepare?: (planId: string, field: TestField) => void;
}

/** Types over what stands in a field. */
export async function replaceText({ user }: TestPage, field: HTMLElement, text: string): Promise<void> {
  await user.clear(field);
  await user.type(field, text);
}

/** Opens the demo plan, or an empty one, and shows a component of it. */
export async function showInPlan(
  of: 'demo' | 'empty',
  component: ReactNode,
  { query = '', before = [], hasField = false, prepare }: Prepared = {},
): Promise<TestPage> {
  const planId = of === 'demo' ? demoPlan().plan.id : newPlan('Empty', undefined).id;
  if (before.length > 0) change(planId, 'before', before);
  let address = new URLSearchParams(query);
  const field = new TestField({ from: '10.', to: '127.' });
  if (hasField) {
    // Where a follower would be, with what it would know.
    const follower = { snapshot: () => field.snapshot(), setNamedHosts: () => {}, stop: () => {} };
    Object.defineProperties(serverState(), {
      follower: { value: follower as unknown as ServerState['follower'] },
      translation: { value: { from: '10.', to: '127.' } },
    });
  }
  prepare?.(planId, field);
  const open = async (shown: ReactNode) => {
    close = openPlan(planId);
    await waitFor(() => expect(planNow().view).not.toBeNull(), { timeout: 20_000 });
    render(
      <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
        <NuqsTestingAdapter
          hasMemory
          searchParams={query}
          onUrlUpdate={({ searchParams }) => (address = new URLSearchParams(searchParams))}
        >
          {shown}
          <Toaster />
        </NuqsTestingAdapter>
      </QueryClientProvider>,
    );
  };
  await open(component);
  return {
    planId,
    user: userEvent.setup(),
    field,
    fieldChanged: async () => {
      const before = planNow().field;
      act(() => serverState().onFieldNews.forEach((tell) => tell(field.takeNews())));
      await waitFor(() => expect(planNow().field).not.toBe(before));
    },
    reopen: (shown) => {
      cleanup();
      act(() => close());
      toast.dismiss();
      return open(shown);
    },
    saved: () => sessionOf(planId)!.plan,
    another: async (title, ...commands) => {
      const revision = change(planId, title, commands);
      await waitFor(() => expect(planNow().revision).toBeGreaterThanOrEqual(revision));
    },
    query: () => address,
  };
}

function change(planId: string, title: string, commands: readonly Command[]): number {
  const { revision } = sessionOf(planId)!;
  return atOnce(applyBatch(planId, { author: someone, baseRevision: revision, title, commands })).revision;
}

export { act, screen, waitFor, within };

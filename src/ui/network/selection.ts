/** What is selected on the network stage, as it stands in the address bar: `link:up-1`, `device:core-a`, `subnet:a`, `stream:console/1`. */
export type NetworkSelection =
  | { readonly kind: 'link'; readonly id: string }
  | { readonly kind: 'device'; readonly id: string }
  | { readonly kind: 'subnet'; readonly id: string }
  | { readonly kind: 'stream'; readonly id: string }
  | { readonly kind: 'place'; readonly id: string };
export type NetworkKind = NetworkSelection['kind'];

const KINDS: readonly NetworkKind[] = ['link', 'device', 'subnet', 'stream', 'place'];

export function parseNetworkSelection(text: string | null): NetworkSelection | null {
  const colon = text?.indexOf(':') ?? -1;
  const kind = KINDS.find((k) => k === text?.slice(0, colon));
  const id = text?.slice(colon + 1) ?? '';
  return kind === undefined || id === '' ? null : { kind, id };
}

export const networkSelectionText = (kind: NetworkKind, id: string): string => `${kind}:${id}`;

export const NETWORK_VIEWS = ['drawing', 'cables', 'subnets', 'switches', 'streams'] as const;
export type NetworkViewName = (typeof NETWORK_VIEWS)[number];

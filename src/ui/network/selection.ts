import type { Selection } from '@/ui/parts/selection';

/** What can be selected on the network stage. */
export const NETWORK_KINDS = ['link', 'device', 'subnet', 'stream', 'place'] as const;
export type NetworkKind = (typeof NETWORK_KINDS)[number];
export type NetworkSelection = Selection<NetworkKind>;

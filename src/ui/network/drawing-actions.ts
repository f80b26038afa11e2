import { type Edge, type Node } from '@xyflow/react';
import { createContext } from 'react';
import { type DrawingEdge, type DrawingNode, type Fold } from './drawing-graph';

interface DrawingActionsValue {
  readonly fold: (placeId: string, fold: Fold) => void;
  readonly folds: ReadonlyMap<string, Fold>;
  readonly ceilingPercent: number;
  readonly selectLink: (id: string) => void;
  readonly selectDevice: (id: string) => void;
  readonly selectPlace: (id: string) => void;
  readonly selectedPlace: string | null;
  /** Edges that the pointer or the keyboard is at, or that run from the box that it is at; null: none. */
  readonly lit: ReadonlySet<string> | null;
}
export const DrawingActions = createContext<DrawingActionsValue | null>(null);

export type BoxNode = Node<{ box: DrawingNode; selectedId: string | null }, 'box' | 'place' | 'card'>;
export type CableEdge = Edge<
  {
    edge: DrawingEdge;
    corners: readonly { x: number; y: number }[];
    label: { x: number; y: number };
    isSelected: boolean;
  },
  'cables'
>;

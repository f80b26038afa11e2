/** What the layout worker is asked and answers. All figures in pixels, from the drawing's top left corner. */

export interface LayoutRequest {
  readonly nodes: readonly {
    readonly id: string;
    readonly parent: string | null;
    readonly width: number;
    readonly height: number;
    readonly isGroup: boolean;
    /** Lines at whose left and right end edges are tied: the middle of each, from the top of the node. */
    readonly rows: readonly { readonly id: string; readonly y: number }[];
  }[];
  readonly edges: readonly {
    readonly id: string;
    readonly source: string;
    readonly target: string;
    readonly sourceRow: string | null;
    readonly targetRow: string | null;
    /** Room for what is written on it. */
    readonly labelWidth: number;
  }[];
}

export interface Layout {
  readonly boxes: ReadonlyMap<
    string,
    { readonly x: number; readonly y: number; readonly width: number; readonly height: number }
  >;
  /** Corners of each edge, ends included. */
  readonly ways: ReadonlyMap<string, readonly { readonly x: number; readonly y: number }[]>;
  /** The middle of each edge's label. */
  readonly labels: ReadonlyMap<string, { readonly x: number; readonly y: number }>;
  readonly tookMs: number;
}

export interface LayoutWorker {
  arrange(request: LayoutRequest): Promise<Layout>;
}

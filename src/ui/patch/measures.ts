/** Of the columns of the patch, in pixels: what the rows and the threads between them must agree on. */
export const ROW_HEIGHT = 26;
export const TITLE_HEIGHT = 24;
export const GUTTER = 64;

/** Work that may be left after each of its steps, and gone on with later. */
export type InSteps<Made> = Generator<undefined, Made, undefined>;

/** Does all of it at once. */
export function atOnce<Made>(steps: InSteps<Made>): Made {
  for (;;) {
    const { done, value } = steps.next();
    if (done === true) return value;
  }
}

/**
 * Version 2 has every table in it, and no stream that was sent to a device that is gone. Version 3 calls which of a device's
 * streams it is `streamNumber`. Version 5 has what is plugged in and how devices are patched inside.
 */
export const PLAN_FILE_VERSIONS = [1, 2, 3, 4, 5, 6] as const;

export type PlanFileVersion = (typeof PLAN_FILE_VERSIONS)[number];

/** The one that is written. */
export const PLAN_FILE_VERSION = 6 satisfies PlanFileVersion;

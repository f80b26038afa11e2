/** Speeds that a port or a cable may have, in bits per second. */
export const ETHERNET_SPEEDS: readonly number[] = [1e7, 1e8, 1e9, 2.5e9, 5e9, 1e10, 2.5e10, 4e10, 1e11];

/** Speed of sound in dry air, metres per second, at a temperature in degrees Celsius: 331.3 × √(1 + T/273.15). */
export function speedOfSound(celsius: number): number {
  return 331.3 * Math.sqrt(1 + celsius / 273.15);
}

/** How long sound takes through air, in nanoseconds. */
export function airDelayNs(metres: number, celsius: number): number {
  return (metres / speedOfSound(celsius)) * 1e9;
}

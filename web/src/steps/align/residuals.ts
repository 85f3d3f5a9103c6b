type Residual = [number, number, number, number]

/** Screen pixels for one pixel of residual, so that a usual arrow is about 20 pixels long. */
export function magnification(residuals: Residual[]): number {
  const long = residuals.map(([, , dx, dy]) => Math.hypot(dx, dy)).sort((a, b) => a - b)
  const usual = long[Math.floor(long.length / 2)] ?? 0
  const wanted = 20 / Math.max(usual, 0.005)
  // A round figure, so that the length of a tenth of a pixel is easily compared.
  const step = 10 ** Math.floor(Math.log10(wanted))
  return Math.max(1, Math.floor(wanted / step)) * step
}

// Names of pictures as the server has them: what is shown, and of which frame or result.

/** The frame that a source shows by itself, whichever way. */
export function frameOf(source: string | null): number | null {
  const id = source?.match(/^(?:frame|calibrated|original)-(\d+)$/)?.[1]
  return id ? Number(id) : null
}

/** The result that a source shows. */
export function resultOf(source: string | null | undefined): number | null {
  const id = source?.match(/^result-(\d+)$/)?.[1]
  return id ? Number(id) : null
}

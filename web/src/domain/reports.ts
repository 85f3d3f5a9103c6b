// What reports tell of frames, which they name by their content: two frames may have one name.
import type { Frame, FrameReport, Report } from '../api/types'

/** What names a frame in a report: its content, or in reports of earlier versions its file alone. */
export function idOf(told: { content: string; file: string }): string {
  return told.content || told.file
}

/** Whether what is told is about a frame. */
export function isAbout(told: { content: string; file: string }, frame: Frame): boolean {
  return told.content ? told.content === frame.blake3 : told.file === frame.name
}

/** Whether what is told is about the reference frame of its report. */
export function isReference(told: FrameReport, report: Report): boolean {
  const { reference, reference_content: content } = report
  return content ? told.content === content : told.file === reference
}

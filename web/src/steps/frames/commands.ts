// The keys of the frames, which count while the strip has the focus.
import { defineCommands, isKeyOf, keyOf } from '../../app/commands'

defineCommands('Frames', [
  { id: 'frames.next', text: 'The next frame', key: 'ArrowRight', local: true },
  { id: 'frames.last', text: 'The frame before', key: 'ArrowLeft', local: true },
  { id: 'frames.out', text: 'Leave the chosen frames out, or take them in', key: 'l', local: true },
  { id: 'frames.main', text: 'Make the chosen frame the reference frame', key: 'm', local: true },
  { id: 'frames.none', text: 'Choose none', key: 'Escape', local: true },
])

/** Whether a key goes on to another frame; with Shift all up to it are chosen. */
export function isStep(event: KeyboardEvent, id: string) {
  return isKeyOf(event, id) || (event.shiftKey && keyOf(id) === event.key)
}

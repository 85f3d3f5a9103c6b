// The keys of the brush, whatever it paints.
import { defineCommands, onCommand } from '../../app/commands'
import { grown, shrunk } from './strokes'

defineCommands('Painting', [
  { id: 'brush.smaller', text: 'Smaller brush', key: ',' },
  { id: 'brush.larger', text: 'Larger brush', key: '.' },
  { id: 'brush.move', text: 'Move the picture while it is held', key: ' ', local: true },
  { id: 'brush.away', text: 'Put the brush away', key: 'Escape' },
])

/** Carries the brush's commands out while a tool is at hand. */
export function useBrushKeys(brush: { radius: number; tool: unknown }) {
  const held = () => brush.tool !== null
  onCommand('brush.smaller', () => (brush.radius = shrunk(brush.radius)), held)
  onCommand('brush.larger', () => (brush.radius = grown(brush.radius)), held)
  onCommand('brush.away', () => (brush.tool = null), held)
}

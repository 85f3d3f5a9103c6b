import type { Step } from '../step'
import FramesSheet from './FramesSheet.vue'

export const frames: Step = {
  name: 'frames',
  label: 'Frames',
  stage: 'frames',
  state: ({ used }) => (used.length > 1 ? 'done' : 'waiting'),
  finding: ({ stack, used }) =>
    stack.length ? `${used.length} of ${stack.length} in` : 'none yet',
  sheet: () => FramesSheet,
}

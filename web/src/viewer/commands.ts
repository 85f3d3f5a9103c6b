// The keys of the picture.
import { defineCommands } from '../app/commands'
import { modes } from '../state/view'

defineCommands('Picture', [
  ...modes.map(({ value, text, key }) => ({ id: `view.${value}`, text, key })),
  { id: 'view.swap', text: 'The other side, where one is shown', key: 'x' },
  { id: 'view.fit', text: 'Fit', key: 'f' },
  { id: 'view.1', text: 'One to one', key: '1' },
  { id: 'view.3', text: 'Three to one', key: '3' },
  { id: 'view.pin', text: 'Pin a probe under the pointer', key: 'p' },
  { id: 'view.nothing', text: 'Neither pin nor pick', key: 'Escape' },
])

import { mount } from '@vue/test-utils'
import { afterEach, expect, it, vi } from 'vitest'
import { defineComponent, h } from 'vue'
import {
  chooseKey,
  commandGroups,
  defineCommands,
  hasOwnKeys,
  keyIn,
  keyName,
  keyOf,
  onCommand,
  resetKeys,
  takeKeys,
  titleOf,
} from './commands'

const press = (key: string, change: KeyboardEventInit = {}) =>
  takeKeys(new KeyboardEvent('keydown', { key, ...change }))

defineCommands('Test', [
  { id: 'salt', text: 'Salt', key: 's' },
  { id: 'pan', text: 'Pan', key: 'Ctrl+Shift+p' },
  { id: 'near', text: 'Near', key: 's', local: true },
])

/** A component that carries a command out. */
function holds(id: string, run: () => void, can?: () => boolean) {
  const setup = () => {
    onCommand(id, run, can)
    return () => h('p')
  }
  return mount(defineComponent({ setup }))
}

afterEach(() => resetKeys())

it('carries a command out by its key while there is something that does', () => {
  const run = vi.fn()
  press('s')
  const own = holds('salt', run)
  press('s')
  press('s', { ctrlKey: true })
  expect(run).toHaveBeenCalledTimes(1)
  own.unmount()
  press('s')
  expect(run).toHaveBeenCalledTimes(1)
})

it('asks the last one that can', () => {
  const [first, second] = [vi.fn(), vi.fn()]
  let able = true
  const parts = [holds('salt', first), holds('salt', second, () => able)]
  press('s')
  able = false
  press('s')
  expect([first, second].map((run) => run.mock.calls.length)).toEqual([1, 1])
  parts.forEach((part) => part.unmount())
})

it('takes another key, which the command that had it loses', () => {
  const run = vi.fn()
  const own = holds('salt', run)
  chooseKey('salt', 'Ctrl+Shift+p')
  expect([keyOf('salt'), keyOf('pan'), keyOf('near')]).toEqual(['Ctrl+Shift+p', '', 's'])
  press('s')
  expect(run).not.toHaveBeenCalled()
  press('P', { ctrlKey: true, shiftKey: true })
  expect(run).toHaveBeenCalledTimes(1)
  expect(JSON.parse(localStorage.getItem('jade-stack-keys')!)).toHaveProperty('salt')
  expect(hasOwnKeys()).toBe(true)
  resetKeys()
  expect([keyOf('salt'), keyOf('pan'), hasOwnKeys()]).toEqual(['s', 'Ctrl+Shift+p', false])
  own.unmount()
})

it('writes keys for people', () => {
  expect(['Ctrl+Shift+z', 'ArrowLeft', ' ', '?', '+'].map(keyName)).toEqual([
    'Ctrl Shift z',
    '←',
    'Space',
    '?',
    '+',
  ])
  expect(titleOf('salt')).toBe('Salt (s)')
  expect(titleOf('pan', 'Salt pan')).toBe('Salt pan (Ctrl Shift p)')
  const key = (key: string, change: KeyboardEventInit = {}) =>
    keyIn(new KeyboardEvent('keydown', { key, ...change }))
  expect(key('?', { shiftKey: true })).toBe('?')
  expect(key('N', { shiftKey: true })).toBe('Shift+n')
  expect(key('ArrowLeft', { shiftKey: true })).toBe('Shift+ArrowLeft')
  expect(key('z', { metaKey: true })).toBe('Ctrl+z')
})

it('lists commands by what they belong to', () => {
  const own = commandGroups().find(({ group }) => group === 'Test')
  expect(own?.commands.map((one) => one.id)).toEqual(['salt', 'pan', 'near'])
})

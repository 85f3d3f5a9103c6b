// Everything that can be done by a key: named once, shown in tooltips and the list of keys, changeable.
import { onMounted, onUnmounted, reactive } from 'vue'
import { isTypedIn } from './keys'

/** A command as the list of keys shows it. */
export interface Command {
  id: string
  /** What it belongs to, as a heading of the list. */
  group: string
  text: string
  /** Its key where nobody has chosen another: as in `r`, `Ctrl+z`, `Shift+n`, `ArrowLeft`. */
  key: string
  /** Whether the key counts only while what it belongs to has the focus, which then handles it. */
  local?: boolean
}

interface Handler {
  run: () => unknown
  can: () => boolean
}

const STORED = 'jade-stack-keys'
const commands = reactive(new Map<string, Command>())
const chosen = reactive<Record<string, string>>(stored())
/** What carries a command out at present; of several the last one. */
const handlers = new Map<string, Handler[]>()

function stored(): Record<string, string> {
  try {
    return JSON.parse(localStorage.getItem(STORED) ?? '{}') as Record<string, string>
  } catch {
    return {}
  }
}

/** Names commands of one group. */
export function defineCommands(group: string, all: Omit<Command, 'group'>[]) {
  for (const command of all) commands.set(command.id, { ...command, group })
}

/** All commands, group by group. */
export function commandGroups(): { group: string; commands: Command[] }[] {
  const groups = new Map<string, Command[]>()
  for (const command of commands.values()) {
    groups.set(command.group, [...(groups.get(command.group) ?? []), command])
  }
  return [...groups].map(([group, commands]) => ({ group, commands }))
}

/** The key of a command at present; empty where it has none. */
export function keyOf(id: string): string {
  return chosen[id] ?? commands.get(id)?.key ?? ''
}

/** What a command does and its key, for a tooltip. */
export function titleOf(id: string, text = commands.get(id)?.text ?? ''): string {
  const key = keyOf(id)
  return key ? `${text} (${keyName(key)})` : text
}

/** A key as it is written for people. */
export function keyName(key: string): string {
  const names: Record<string, string> = {
    ArrowLeft: '←',
    ArrowRight: '→',
    ArrowUp: '↑',
    ArrowDown: '↓',
    Escape: 'Esc',
    ' ': 'Space',
  }
  const parts = key === '+' ? ['+'] : key.split(/\+(?=.)/)
  return parts.map((part) => names[part] ?? part).join(' ')
}

/** The key of an event, written as commands have it. */
export function keyIn(event: KeyboardEvent): string {
  const control = event.ctrlKey || event.metaKey ? 'Ctrl+' : ''
  // Some keyboards need Shift for a sign such as ?, others do not: only letters and named keys note it.
  const lettered = event.key.length > 1 || event.key.toLowerCase() !== event.key.toUpperCase()
  const shift = event.shiftKey && lettered ? 'Shift+' : ''
  return control + shift + (event.key.length === 1 ? event.key.toLowerCase() : event.key)
}

/** Whether an event is the key of a command. */
export function isKeyOf(event: KeyboardEvent, id: string): boolean {
  return !event.altKey && keyIn(event) === keyOf(id)
}

/** Chooses another key for a command; the one that had it has none then. */
export function chooseKey(id: string, key: string) {
  const other = [...commands.keys()].find((one) => one !== id && keyOf(one) === key)
  if (other && !commands.get(other)!.local && !commands.get(id)!.local) chosen[other] = ''
  chosen[id] = key
  localStorage.setItem(STORED, JSON.stringify(chosen))
}

/** Gives all commands the keys that they come with. */
export function resetKeys() {
  for (const id of Object.keys(chosen)) delete chosen[id]
  localStorage.removeItem(STORED)
}

/** Whether anybody has chosen another key. */
export function hasOwnKeys(): boolean {
  return Object.keys(chosen).length > 0
}

/** Carries a command out while the component is there, and `can` allows it. */
export function onCommand(id: string, run: () => unknown, can: () => boolean = () => true) {
  const own = { run, can }
  onMounted(() => handlers.set(id, [...(handlers.get(id) ?? []), own]))
  onUnmounted(() =>
    handlers.set(
      id,
      (handlers.get(id) ?? []).filter((one) => one !== own),
    ),
  )
}

/** Carries a command out, if that is possible now. */
export function carryOutCommand(id: string): boolean {
  const own = handlers.get(id)?.findLast((one) => one.can())
  if (!own) return false
  void own.run()
  return true
}

/** Takes the keys of the window; one for the whole page. */
export function takeKeys(event: KeyboardEvent) {
  if (event.defaultPrevented || event.altKey || isTypedIn(event)) return
  const key = keyIn(event)
  for (const command of commands.values()) {
    if (command.local || keyOf(command.id) !== key) continue
    if (!carryOutCommand(command.id)) continue
    event.preventDefault()
    return
  }
}

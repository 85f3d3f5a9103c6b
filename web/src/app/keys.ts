// Which control a key belongs to: the page's shortcuts leave alone what is typed elsewhere.

/** What takes letters itself: text, and lists that go to the entry whose name begins so. */
const TYPED_IN = [
  'input:not([type=range], [type=checkbox], [type=radio], [type=file])',
  'textarea',
  'select',
  '[contenteditable=true]',
  '[role=dialog]',
  '[role=listbox]',
  // The button of a list that is open, until the list has the focus.
  '[aria-haspopup][aria-expanded=true]',
  '[role=menu]',
].join()
/** What the space bar works on. */
const PRESSED = 'button, a, summary, select, textarea, input:not([type=range]), [role=dialog]'

function target(event: Event): Element | null {
  return event.target instanceof Element ? event.target : null
}

/** Whether a key is no shortcut: it is typed into something, or goes with Ctrl, Alt or the like. */
export function isTyped(event: KeyboardEvent): boolean {
  return hasModifier(event) || isTypedIn(event)
}

/** Whether a key goes into what takes letters itself. */
export function isTypedIn(event: KeyboardEvent): boolean {
  return target(event)?.closest(TYPED_IN) != null
}

function hasModifier(event: KeyboardEvent): boolean {
  return event.ctrlKey || event.metaKey || event.altKey
}

/** The control that was reached by keyboard last, as the browser showed it. */
let reached: Element | null = null
window.addEventListener('focusin', (event) => {
  const own = target(event)
  reached = own?.matches(':focus-visible') ? own : null
})

/** Whether the space bar presses a control: one that was reached by keyboard, not by a click before. */
export function isPressed(event: KeyboardEvent): boolean {
  const own = target(event)?.closest(PRESSED)
  return own != null && own === reached
}

import { expect, it } from 'vitest'
import { isTyped } from './keys'

function typed(html: string, key: Partial<KeyboardEventInit> = {}) {
  document.body.innerHTML = html
  const target = document.querySelector('.here')!
  let told: boolean | null = null
  window.addEventListener('keydown', (event) => (told = isTyped(event)), { once: true })
  target.dispatchEvent(new KeyboardEvent('keydown', { key: 'r', bubbles: true, ...key }))
  return told
}

it('leaves letters to what is typed into', () => {
  for (const html of [
    '<input class="here">',
    '<input class="here" type="number">',
    '<select class="here"><option>run</option></select>',
    '<ul role="listbox"><li class="here" tabindex="0">result</li></ul>',
    '<button class="here" aria-haspopup="listbox" aria-expanded="true">A</button>',
    '<div role="menu"><button class="here">Rename</button></div>',
    '<div role="dialog"><button class="here">Close</button></div>',
  ])
    expect(typed(html), html).toBe(true)
})

it('takes letters as shortcuts after a slider, a switch or a button was used', () => {
  for (const html of [
    '<input class="here" type="range">',
    '<input class="here" type="checkbox">',
    '<button class="here">Fit</button>',
    '<button class="here" aria-haspopup="listbox" aria-expanded="false">A</button>',
    '<p class="here"></p>',
  ])
    expect(typed(html), html).toBe(false)
  expect(typed('<p class="here"></p>', { ctrlKey: true })).toBe(true)
})

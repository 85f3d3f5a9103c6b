// Bringing a place of the picture to the middle, from anywhere on the page.
import type { InjectionKey } from 'vue'

/** Enlarges a place, in pixels of the reference frame. */
export const lookAt: InjectionKey<(x: number, y: number) => void> = Symbol('look at')

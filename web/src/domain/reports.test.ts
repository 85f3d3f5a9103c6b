import { expect, it } from 'vitest'
import type { FrameReport, Report } from '../api/types'
import { frame } from './example'
import { idOf, isAbout, isReference } from './reports'

it('frames of one name are told apart by their content', () => {
  const told = { file: 'f1.tif', content: 'hash 1' }
  expect(isAbout(told, frame(1))).toBe(true)
  expect(isAbout(told, frame(2, { name: 'f1.tif' }))).toBe(false)
  expect(idOf(told)).toBe('hash 1')
  const report = { reference: 'f1.tif', reference_content: 'hash 1' } as Report
  expect(isReference(told as FrameReport, report)).toBe(true)
  expect(isReference({ ...told, content: 'hash 2' } as FrameReport, report)).toBe(false)
})

it('reports of earlier versions name frames by their files', () => {
  const told = { file: 'f1.tif', content: '' }
  expect(isAbout(told, frame(1))).toBe(true)
  expect(idOf(told)).toBe('f1.tif')
  const report = { reference: 'f1.tif', reference_content: '' } as Report
  expect(isReference(told as FrameReport, report)).toBe(true)
})

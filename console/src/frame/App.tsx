// Who is here decides what is shown: the sign-in, or the frame with its pages.

import { lazy, Suspense } from 'react'
import { Route, Routes } from 'react-router'
import { Problem } from '../api/call'
import { Sentence } from '../parts/sections'
import { Skeleton, Wrong } from '../parts/shown'
import { useMe } from '../parts/me'
import { EnrolPage } from '../pages/sign-in/EnrolPage'
import { SignInPage } from '../pages/sign-in/SignInPage'
import { Frame } from './Frame'

const page = {
  Now: lazy(() => import('../pages/now/NowPage')),
  Ask: lazy(() => import('../pages/ask/AskPage')),
  Elevation: lazy(() => import('../pages/elevation/ElevationPage')),
  Past: lazy(() => import('../pages/past/PastPage')),
  Answer: lazy(() => import('../pages/answer/AnswerPage')),
  Standing: lazy(() => import('../pages/standing/StandingPage')),
  Estate: lazy(() => import('../pages/estate/EstatePage')),
  Person: lazy(() => import('../pages/person/PersonPage')),
  Record: lazy(() => import('../pages/record/RecordPage')),
  Settings: lazy(() => import('../pages/settings/SettingsPage')),
  FirstDay: lazy(() => import('../pages/first-day/FirstDayPage')),
  Device: lazy(() => import('../pages/device/DevicePage')),
  Draft: lazy(() => import('../pages/device/DraftPage')),
}

function Pages() {
  return (
    <Suspense fallback={<Skeleton of="the page" lines={6} />}>
      <Routes>
        <Route index element={<page.Now />} />
        <Route path="ask" element={<page.Ask />} />
        <Route path="elevation/:id" element={<page.Elevation />} />
        <Route path="past" element={<page.Past />} />
        <Route path="answer" element={<page.Answer />} />
        <Route path="standing" element={<page.Standing />} />
        <Route path="estate" element={<page.Estate />} />
        <Route path="person/:name" element={<page.Person />} />
        <Route path="record" element={<page.Record />} />
        <Route path="settings" element={<page.Settings />} />
        <Route path="first-day" element={<page.FirstDay />} />
        <Route path="device" element={<page.Device />} />
        <Route path="drafts/:id" element={<page.Draft />} />
        <Route path="*" element={<NoPage />} />
      </Routes>
    </Suspense>
  )
}

function NoPage() {
  return (
    <>
      <Sentence>There is no page at this address.</Sentence>
      <p>The rail leads to those there are; Ctrl K finds the rest.</p>
    </>
  )
}

/** The whole console: the way in, and each page by its address. */
export function App() {
  const me = useMe()
  if (location.pathname === '/enrol') return <EnrolPage />
  if (me.data) return <Frame me={me.data} pages={<Pages />} />
  if (me.error instanceof Problem && me.error.code === 'sign-in') return <SignInPage />
  if (me.error) {
    return (
      <main className="mx-auto max-w-lg p-6">
        <h1 className="sr-only">Tempestas</h1>
        <Wrong error={me.error} />
      </main>
    )
  }
  return (
    <main className="mx-auto max-w-lg p-6">
      <h1 className="sr-only">Tempestas</h1>
      <Skeleton of="who you are" />
    </main>
  )
}

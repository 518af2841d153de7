// The page for those who aren't signed in. It stands at every address, so that a link leads on afterwards.

import { Link } from 'react-router'
import { queries } from '../../parts/data'
import { SignInForm } from './SignInForm'

/** What stands around the way in. */
export function Door({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <main className="grid min-h-dvh content-center justify-items-center gap-6 px-4 py-8">
      <div className="flex items-center gap-3">
        <img src="/mark.svg" alt="" className="h-10 w-10" />
        <p className="text-[1.5rem] font-semibold tracking-tight">Tempestas</p>
      </div>
      <div className="w-full max-w-sm rounded-md border border-line bg-sheet p-5">
        <h1 className="mb-4 text-[1.15rem] font-semibold">{title}</h1>
        {children}
      </div>
    </main>
  )
}

/** The way in. */
export function SignInPage() {
  return (
    <Door title="Sign in">
      <SignInForm done={() => void queries.resetQueries()} />
      <p className="mt-5 border-t border-line pt-3 text-ink-2">
        Were you handed a one-time secret?{' '}
        <Link to="/enrol" reloadDocument className="underline">
          Enrol with it
        </Link>
        .
      </p>
    </Door>
  )
}

// How to reach the system. A password is made when it is asked for, shown once, and kept nowhere.

import { post } from '../../api/call'
import { Button, Copyable, Section, Wrong } from '../../parts/basics'
import { useAct } from '../../parts/data'

export function Reach({ id }: { id: string }) {
  const login = useAct(() => post('/api/v1/elevations/{id}/login', undefined, { id }))
  const got = login.data
  return (
    <Section title="How to reach it">
      <div className="grid gap-3 px-3.5 py-3">
        {!got && (
          <>
            <p className="text-ink-2">Makes a fresh login where the system has one for this grant alone. Its password is shown once; a new one voids the one before.</p>
            <Button look="main" busy={login.isPending} onClick={() => login.mutate()}>
              Show me how
            </Button>
          </>
        )}
        {got && (
          <>
            <p>{got.says.charAt(0).toUpperCase() + got.says.slice(1)}.</p>
            {got.replaced && <p className="text-warm">A password was fetched for this before; that one is void from now on.</p>}
            {got.user && <Copyable label="Login" text={got.user} />}
            {got.password && <Copyable label="Password" text={got.password} secret />}
            {got.user && <Copyable label="In a terminal" text={`psql "host=${got.host} port=${got.port} dbname=${got.database} user=${got.user}"`} />}
          </>
        )}
        <Wrong error={login.error} />
      </div>
    </Section>
  )
}

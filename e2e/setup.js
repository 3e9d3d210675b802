// Before all browser tests: PostgreSQL, the programs, and the demo in a database that each worker copies.
import { execFileSync } from 'node:child_process';

export default function setup() {
  execFileSync('scripts/db.sh', ['start'], { stdio: 'inherit' });
  execFileSync('e2e/database.sh', [], { stdio: ['ignore', 'ignore', 'inherit'] });
}

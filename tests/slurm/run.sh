#!/usr/bin/env bash
# Starts a batch system of one node in a temporary folder, runs parameter studies on it, and compares their tables
# with those of this machine's workers. Arguments: the program. Exit status 77 when it cannot be started.
set -euo pipefail
program=$(realpath "$1")
here=$(mktemp -d)
pids=()
stop() {
  for pid in "${pids[@]}"; do kill "$pid" 2>/dev/null || true; done
  for pid in "${pids[@]}"; do
    for _ in $(seq 50); do kill -0 "$pid" 2>/dev/null || break; sleep 0.1; done
    kill -9 "$pid" 2>/dev/null || true
  done
  rm -rf "$here"
}
trap stop EXIT
skip() { echo "skipped: $1"; exit 77; }

for tool in munged slurmctld slurmd sbatch squeue; do
  command -v "$tool" >/dev/null || PATH=$PATH:/usr/sbin command -v "$tool" >/dev/null || skip "$tool is not installed"
done
[ "$(id -u)" -eq 0 ] || skip "the batch system runs as root"
PATH=$PATH:/usr/sbin

mkdir -p "$here"/{state,spool,munge,work}
chmod 711 "$here"
chmod 700 "$here/munge"
dd if=/dev/urandom bs=1 count=1024 of="$here/munge/key" status=none
chmod 400 "$here/munge/key"
socket=$here/munge/socket
munged --force --foreground --key-file="$here/munge/key" --socket="$socket" --pid-file="$here/munge/pid" \
  --log-file="$here/munge/log" --seed-file="$here/munge/seed" >/dev/null 2>&1 &
pids+=($!)
for _ in $(seq 100); do [ -S "$socket" ] && break; sleep 0.1; done
[ -S "$socket" ] || skip "munged does not start"

# Two free ports.
read -r control node < <(python3 -c '
import socket
a, b = socket.socket(), socket.socket()
a.bind(("", 0)); b.bind(("", 0))
print(a.getsockname()[1], b.getsockname()[1])')
host=$(hostname -s)
cat >"$here/slurm.conf" <<END
ClusterName=velm
SlurmctldHost=$host(127.0.0.1)
SlurmUser=root
SlurmdUser=root
AuthType=auth/munge
AuthInfo=socket=$socket
CredType=cred/munge
SlurmctldPort=$control
SlurmdPort=$node
StateSaveLocation=$here/state
SlurmdSpoolDir=$here/spool
SlurmctldPidFile=$here/state/slurmctld.pid
SlurmdPidFile=$here/spool/slurmd.pid
SlurmctldLogFile=$here/state/log
SlurmdLogFile=$here/spool/log
ProctrackType=proctrack/linuxproc
TaskPlugin=task/none
SelectType=select/cons_tres
SchedulerParameters=sched_interval=1
MpiDefault=none
ReturnToService=2
NodeName=$host NodeAddr=127.0.0.1 CPUs=$(nproc) State=UNKNOWN
PartitionName=main Nodes=$host Default=YES MaxTime=INFINITE State=UP OverSubscribe=FORCE:8
END
export SLURM_CONF=$here/slurm.conf
slurmctld -D >/dev/null 2>&1 &
pids+=($!)
slurmd -D >/dev/null 2>&1 &
pids+=($!)
for _ in $(seq 150); do sinfo -h -o %t 2>/dev/null | grep -q idle && break; sleep 0.2; done
sinfo -h -o %t 2>/dev/null | grep -q idle || skip "the batch system does not start"

cd "$here/work"
cat >peak.eq <<'END'
given rate = 1
given n = 1
peak = rate * n + sum(random(3))
expect n != 7
if n == 3 { save("a.csv", [1, 2] * rate) }
END
fail() { echo "failed: $1"; exit 1; }
study=(sweep peak.eq --vary "rate=[0.5, 1]" --vary "n=1..20")
"$program" "${study[@]}" --out local --quiet >/dev/null 2>&1 || true

"$program" "${study[@]}" --out dry --on slurm --dry-run --batch=--time=10
grep -q "^#SBATCH --time=10$" dry/slurm/job.sh || fail "the option for sbatch is not in the script"
[ ! -e dry/sweep.json ] || fail "a dry run has run"

"$program" "${study[@]}" --out array --on slurm --workers 4 2>messages || true
cat messages
cmp local/cases.csv array/cases.csv || fail "the tables differ"
cmp local/cases/000/000003/a.csv array/cases/000/000003/a.csv || fail "files of a case differ"
grep -q "40 cases finished, 2 of them failed" messages || fail "the outcome is not reported"
[ -z "$(ls array/slurm/ | grep journal || true)" ] || fail "journals of parts are left"

# A job that is cancelled in the middle, and continued.
cat >slow.eq <<'END'
given n = 1
s = 0
for k in 1..2e6 { s += sin(k * n) }
END
"$program" sweep slow.eq --vary n=1..60 --out local_slow --quiet
"$program" sweep slow.eq --vary n=1..60 --out slow --on slurm --workers 3 2>messages &
run=$!
sleep 4
kill -INT "$run"
wait "$run" && fail "an interrupted study has succeeded"
cat messages
grep -q "of 60 cases are finished; run the same command to continue" messages || fail "the end is not reported"
[ -z "$(squeue -h)" ] || fail "the job is not cancelled"
# The program is killed while the job runs; the next one follows the same job.
"$program" sweep slow.eq --vary n=1..60 --out slow --on slurm --workers 3 2>/dev/null &
run=$!
sleep 2
kill -9 "$run"
"$program" sweep slow.eq --vary n=1..60 --out slow --on slurm --workers 3 2>messages || fail "the study is not continued"
cat messages
cmp local_slow/cases.csv slow/cases.csv || fail "the tables differ after interruptions"
"$program" verify slow --sample 5
echo "passed: studies on the batch system"

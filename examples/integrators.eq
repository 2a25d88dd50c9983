#: # Integrators compared: does the energy stay?
#: A buoy swings without friction. Its energy cannot change; what an integrator makes of it shows its errors. The
#: fourth-order step and a step that keeps areas are written by hand, the others are built in.

omega = 2
fn swing(t, y) = [y[2], -omega^2 * sin(y[1])]
fn energy(y) = y[.., 2]^2 / 2 + omega^2 * (1 - cos(y[.., 1]))

start = [1.5, 0]
end = 200

fn rk4_run(h) {
    y = start
    states = append([], y)
    for k in 1..round(end / h) {
        k1 = swing(0, y)
        k2 = swing(0, y + h/2*k1)
        k3 = swing(0, y + h/2*k2)
        k4 = swing(0, y + h*k3)
        y = y + h/6*(k1 + 2*k2 + 2*k3 + k4)
        states = append(states, y)
    }
    return states
}

#: Half a push, a whole way, half a push: the energy swings but does not drift.
fn leap_run(h) {
    place, speed = start
    states = append([], start)
    for k in 1..round(end / h) {
        speed -= h/2 * omega^2 * sin(place)
        place += h * speed
        speed -= h/2 * omega^2 * sin(place)
        states = append(states, [place, speed])
    }
    return states
}

fn drift(states) = abs(energy(states) / energy(states)[1] - 1)

h = 0.05
by_hand = drift(rk4_run(h))
leaping = drift(leap_run(h))
print("by hand, fourth order: energy off by {by_hand[last]:.1e} at the end")
print("by hand, leaping: off by {max(leaping):.1e} at most, {mean(leaping[last-200..last]):.1e} at the end,",
      "{mean(leaping[1..200]):.1e} at the start")

times = 0..end by 0.5
rows = list()
for method in ["rk4", "dormand_prince", "bulirsch_stoer", "rosenbrock"] {
    run = evolve(swing, start, over: times, method: method, relative: 1e-9, absolute: 1e-9, step: h, confirm: false)
    rows = append(rows, (method: method, off: max(drift(run.y)), steps: run.steps, evaluations: run.evaluations))
    print("{method:<15} energy off by {max(drift(run.y)):.1e}, {run.steps:4} steps, {run.rejected:3} rejected,",
          "{run.evaluations:6} evaluations")
}
save("integrators.csv", (method: [r.method for r in rows], off: [r.off for r in rows]))

#: The built-in fourth-order step is the one by hand.
built_in = evolve(swing, start, over: 0..end by h, method: "rk4", confirm: false)
expect near(built_in.y, rk4_run(h), relative: 1e-7, absolute: 1e-9)

#: When does it first pass the middle? The quarter of the period is known: an elliptic integral.
pass = evolve(swing, start, over: (0, 10), until: fn(t, y) = y[1], relative: 1e-10)
k = sin(start[1] / 2)
quarter = integrate(fn(a) = 1 / sqrt(1 - k^2 * sin(a)^2) / omega, 0, pi/2)
print("first passage {pass.stopped_at:.8f}, by the integral {quarter.value:.8f}")
expect near(pass.stopped_at, quarter, relative: 1e-7)

#: The largest error so far, on a scale of powers of ten.
fn worst_so_far(off) = log10(scan(fn(a, b) = if b > a then b else a, off) + 1e-16)

figure("integrators", width: 150, height: 90) {
    title("Energy that should stay: the largest error so far")
    line(0..end by h, worst_so_far(leaping), label: `leaping by hand, $h = 0.05$`)
    line(0..end by h, worst_so_far(by_hand), label: `fourth order by hand, $h = 0.05$`)
    run = evolve(swing, start, over: 0..end by h, relative: 1e-9)
    line(run.t, worst_so_far(drift(run.y)), label: `Dormand and Prince, tolerance $10^{-9}$`)
    x_axis("time (s)", limits: (0, end))
    y_axis(`$\log_{10}$ of the relative error`, limits: (-10, -1))
    legend("bottom right")
}

#: # Steps through time: the lake rocks
#: After a storm the surface of the lake swings like a weak pendulum. The fourth-order step is written by hand: it
#: takes the right-hand side as a function, and returns the new time and state.

given h = 0.05 "step (h)"

omega = 2
damping = 0.1

fn swing(t, y) = [y[2], -omega^2 * y[1] - 2 * damping * y[2]]

fn rk4_step(f, t, y, h) {
    k1 = f(t, y)
    k2 = f(t + h/2, y + h/2*k1)
    k3 = f(t + h/2, y + h/2*k2)
    k4 = f(t + h, y + h*k3)
    return t + h, y + h/6*(k1 + 2*k2 + 2*k3 + k4)
}

fn run(h, end) {
    t = 0
    y = [1, 0]
    times = [t]
    states = append([], y)
    for k in 1..round(end / h) {
        t, y = rk4_step(swing, t, y, h)
        times = append(times, t)
        states = append(states, y)
    }
    return times, states
}

#: The known solution of the damped swing that starts at rest.
fn exact(t) {
    w = sqrt(omega^2 - damping^2)
    return exp(-damping * t) * (cos(w * t) + damping / w * sin(w * t))
}

times, states = run(h, 20)
print("{length(times)} states of {shape(states)[2]} components")
worst = max(abs(states[.., 1] - exact(times)))
print("largest error {worst:.2e}")

#: Half the step, a sixteenth of the error.
finer, fine_states = run(h / 2, 20)
ratio = worst / max(abs(fine_states[.., 1] - exact(finer)))
print("order {log2(ratio):.2f}")
expect 3.8 < log2(ratio) < 4.2

figure("seiche", width: 150, height: 80) {
    line(times, states[.., 1], label: "height")
    line(times, states[.., 2], label: "speed", dash: "dashed")
    x_axis("time (h)")
    legend()
}
figure("seiche-phase", width: 90, height: 90) {
    line(states[.., 1], states[.., 2])
    x_axis("height (m)")
    y_axis("speed (m/h)")
}

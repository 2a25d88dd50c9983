fn rhs(t, y) = [y[2], -y[1]]
fn rk4_step(f, t, y, h) {
    k1 = f(t, y)
    k2 = f(t + h/2, y + h/2*k1)
    k3 = f(t + h/2, y + h/2*k2)
    k4 = f(t + h, y + h*k3)
    return t + h, y + h/6*(k1 + 2*k2 + 2*k3 + k4)
}
t = 0
y = [1, 0]
for k in 1..2*10^6 {
    t, y = rk4_step(rhs, t, y, 0.001)
}
print("{t} {y}")

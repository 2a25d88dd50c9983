#: # Build and unpack data
#: What the field team carries: numbers, texts, booleans, tuples, records, dictionaries, lists.

temperature = [21.4, 12.1, 5.1]
working = [true, true, false]
name = ["top", "middle", "bottom"]
spectrum = [1 + 2i, 3 - 1i]
print("{type(temperature)} {type(working)} {type(name)} {type(spectrum)}")

#: Slices are copies: what happens to the chain does not reach the slice.
chain = temperature
slice = chain[2..3]
chain[2] = 99
print("the slice keeps {slice[1]}, the chain has {chain[2]}")

#: An alias shares: assigning to it changes its array.
deep = alias temperature[2..3]
deep[..] -= 0.1
print("through the alias: {temperature:.1f}")

#: Arrays of three axes are filled in place.
cube = zeros(2, 3, 4)
cube[1, .., ..] = 2
cube[2, .., ..] = 5
print("mean of the layers {mean(mean(cube, over: 3), over: 2)}")
show(cube[1, 1..2, 3..4])

#: Tuples and records cannot be changed; `with` returns a changed copy.
station = ("buoy", 3)
what, which = station
buoy = (name: "buoy {which}", depth: 41.5)
print("{buoy.name} at {buoy.depth} m")
deeper = with(buoy, depth: 42)
print("a changed copy lies at {deeper.depth} m, the old one at {buoy.depth} m")

#: Dictionaries grow; lists contain anything.
month = {"june": 15.2, "august": 21.4, "october": 12.1}
month["december"] = 5.1
print("{length(month)} keys: {keys(month)}")
notes = list(1, "calm", none, [2.5, 3.5])
notes[3] = "wind from north"
show(notes)

#: Unpacking, with some parts discarded.
first, _, last_one = sort(temperature)
print("first {first}, last {last_one}, the rest is not wanted")

expect same(slice, [12.1, 5.1])
expect near(temperature, [21.4, 12, 5])
expect cube[2, 3, 4] == 5
expect month["december"] == 5.1

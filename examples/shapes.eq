#: # Broadcasting
#: A card of plankton counts, 6 nets by 8 depths, reshaped and combined with rows and columns.

seed(5)
counts = random_whole(0, 60, 6, 8)
show(counts)

other = reshape(counts, 8, 6)
print("8×6 holds what 6×8 held: {same(flatten(other), flatten(counts))}")
print("{shape(reshape(counts, 24, 2))} and {shape(flatten(counts))}")

#: One number per net: a column stretches along the rows. A 1×6 row would be an error.
offset = 1..6
raised = counts + down(offset)
print("one offset a row: row sums grow by {sum(raised - counts, over: 2)}")

#: One number per depth: a vector stretches down the columns.
weight = 1 / (1..8)
weighted = counts * weight
expect near(weighted[3, 8], counts[3, 8] / 8)

#: A column and a row together make a whole table.
table = down(1..7) * across(1..7)
squares = [table[k, k] for k in 1..7]
print("7×7 table: corner {table[last, last]}, diagonal {squares}")
square = ones(7, 7) + down(1..7)
expect sum(square) == 49 + 7 * 28
expect all(sum(square, over: 1) == 7 + 28)

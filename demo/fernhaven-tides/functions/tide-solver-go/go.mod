module fernhaven.example/tidesolver

go 1.19

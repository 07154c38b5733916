module fernhaven.example/chartrender

go 1.19

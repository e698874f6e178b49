package picture

// known is Coarse of the whole picture with KnownPaths of each pixel, in base 64.
const known = "08nB1MrC08nC0MbAysG+wbq6uLK2s6+1s6+1s6+1tK+1tK+1ta+1tbC1trC1t7C10se/08jA0sjA0MW+ysC8wrq4u7O1ubK1" +
	"ubK1ubK1ubK11s3D187EurK1u7O1u7O0z8S80MW90MS8zcK7yb65w7m2v7W1v7W0v7W0v7W0v7W0wK6rtqinwLa0wLa0wba0" +
	"zsG4z8K4zsG4y762xbmzxrq0xrq0xrm0xrq0xrq0xrq0x7ewuKqlx7q0x7q0x7q0yr2yyLqwsZaLs5iRl5OVrKKfsKWhnJaX" +
	"tqObrIyCxLevx7OosaCZxbivxbiwxbiwrqiim5STfHd4fXqAcnJ4b2twiXh6dXJ1eHFwbWVnko6OsqmewLWowbetsaqmrqmm" +
	"oKKegIiLgnmEdIOHanmCe3yGcm93cnaBcoWIeXWBZ36HZHZ/lJaQq6achoOCgn5+k5yajJiWiZWVio6Te4OLh32NcImObIiN" +
	"bomOboeNcYqPd4qMcoeJfpGTcIiNcYiNhJWUf5KSf5KSc3KBb3+GYHJ+Y4aLdnyLYYOKYYWLYoWLa4iLZYWJaoiNaIiNbYmO"

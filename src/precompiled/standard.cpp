// Compiled for the headers alone: see standard.hpp.

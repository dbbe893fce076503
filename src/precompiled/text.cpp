// Compiled for the headers alone: see text.hpp.

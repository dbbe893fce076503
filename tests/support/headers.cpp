// Only here so that headers.hpp can be compiled beforehand.

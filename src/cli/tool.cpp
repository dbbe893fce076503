#include "zithercraft/cli/main.hpp"

int main(int argc, char** argv) { return zithercraft::zithercraft_main(argc, argv); }

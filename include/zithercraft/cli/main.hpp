#pragma once

namespace zithercraft {

/// The command-line tool as a function: carries out the command that the arguments name and returns
/// the exit status. Programs that add methods of learning of their own before (see
/// `add_learning_method`) can train by them with the tool's commands. Ends the process on errors,
/// after telling them on standard error.
int zithercraft_main(int argc, char** argv);

}  // namespace zithercraft

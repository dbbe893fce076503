#include "zithercraft/run/methods.hpp"

#include <algorithm>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/evolve/evolution.hpp"
#include "zithercraft/learn/clone.hpp"
#include "zithercraft/learn/dqn.hpp"
#include "zithercraft/learn/q_table.hpp"
#include "zithercraft/learn/sac.hpp"
#include "zithercraft/run/metrics.hpp"

namespace zithercraft {
namespace {

std::vector<LearningMethod>& all() {
  static std::vector<LearningMethod> list{ppo_method(),
                                          q_table_method(),
                                          dqn_method(),
                                          sac_method(),
                                          td3_method(),
                                          ddpg_method(),
                                          clone_method(),
                                          evolution_method(EvolutionMethod::genetic),
                                          evolution_method(EvolutionMethod::topology),
                                          evolution_method(EvolutionMethod::cma),
                                          evolution_method(EvolutionMethod::es)};
  return list;
}

auto find(const std::string& name) {
  return std::find_if(all().begin(), all().end(),
                      [&](const LearningMethod& method) { return method.name == name; });
}

}  // namespace

const std::vector<LearningMethod>& learning_methods() { return all(); }

const LearningMethod& learning_method(const std::string& name) {
  if (const auto found = find(name); found != all().end()) return *found;
  std::vector<std::string> known;
  for (const LearningMethod& method : all()) known.push_back(method.name);
  throw Error(ErrorKind::usage, "no method is called '" + name + "'", "method",
              advice(name, known));
}

void add_learning_method(LearningMethod method) {
  const auto refuse = [&](const char* problem, const char* fix) {
    throw Error(ErrorKind::usage, problem, "method '" + method.name + "'", fix);
  };
  if (find(method.name) != all().end()) refuse("the name is taken", "choose another");
  if (method.name.empty() || !method.make) refuse("it is not complete", "give a name and `make`");
  if (method.settings.method() != method.name)
    refuse("its settings are those of another method", "give settings of this name");
  std::vector<std::string> taken{"steps", "episodes", "stage", "role"};
  for (const MetricsColumn& column : metrics_columns()) taken.push_back(column.info.name);
  for (const MetricInfo& info : method.metrics) {
    if (info.name.empty() ||
        info.name.find_first_not_of("abcdefghijklmnopqrstuvwxyz0123456789_") != std::string::npos)
      refuse("a metric's name does not fit a column", "use small letters, digits and underscores");
    if (std::find(taken.begin(), taken.end(), info.name) != taken.end())
      refuse("a metric's name is taken", "choose another");
    taken.push_back(info.name);
  }
  all().push_back(std::move(method));
}

}  // namespace zithercraft

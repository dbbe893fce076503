#include "learn/table/table_trainee.hpp"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/match/plan_fronts.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft::learn_internal {
namespace {

constexpr std::size_t most_row_numbers = 4096, most_bins = 256;

[[noreturn]] void wrong_setting(const std::string& what, const std::string& fix) {
  throw Error(ErrorKind::spec, what, "learner.column_bins", fix);
}

bool is_flag(const Column& column) { return column.unit == "flag" || column.unit == mask_unit; }

PolicySignature table_signature(const Role& role) {
  for (const ControlInfo& control : role.controls)
    if (!control.is_choice())
      throw Error(ErrorKind::refused,
                  "q_table learns choices, and '" + control.name + "' is a dial",
                  "role '" + role.name + "'",
                  "train by sac, td3 or ppo, or give the role choices in its place");
  const Heads heads(role.controls, role.columns);
  if (heads.combinations() > most_row_numbers)
    throw Error(ErrorKind::refused,
                "a row of the table would have a number for each of more than " +
                    std::to_string(most_row_numbers) + " combinations of options",
                "role '" + role.name + "'", "give the role fewer choices, or train by dqn or ppo");
  PolicySignature signature{role.name, role.columns, role.controls, {}};
  signature.policy.columns = role.columns.size();
  signature.policy.outputs = heads.outputs();
  signature.rates = signature.tabular = true;
  return signature;
}

// "others[2].ahead" is "others.ahead" too.
std::string without_index(std::string name) {
  const auto open = name.find('['), close = name.find(']', open);
  return close == std::string::npos ? name : name.erase(open, close + 1 - open);
}

}  // namespace

std::vector<std::size_t> bin_counts(const Role& role, const QTableSettings& settings) {
  std::vector<std::size_t> counts;
  for (const Column& column : role.columns)
    counts.push_back(is_flag(column) ? 2 : static_cast<std::size_t>(settings.bins));
  std::vector<std::string> names;
  for (const Column& column : role.columns) names.push_back(column.name);
  for (const std::string& entry : settings.column_bins) {
    const std::size_t equals = entry.rfind('=');
    const std::string name = entry.substr(0, equals);
    std::size_t bins = 0;
    const char* const end = entry.data() + entry.size();
    const bool number = equals != std::string::npos &&
                        std::from_chars(entry.data() + equals + 1, end, bins).ptr == end &&
                        bins >= 1 && bins <= most_bins;
    if (!number)
      wrong_setting("'" + entry + "' does not say how many bins a column has",
                    "write it like \"compass.distance=8\", with 1 to 256 bins");
    bool found = false;
    for (std::size_t c = 0; c < counts.size(); ++c) {
      if (!names[c].starts_with(name) && !without_index(names[c]).starts_with(name)) continue;
      counts[c] = is_flag(role.columns[c]) ? std::min<std::size_t>(bins, 2) : bins;
      found = true;
    }
    if (!found) wrong_setting("no column begins with '" + name + "'", advice(name, names));
  }
  return counts;
}

StateBins bins_for(const Role& role, const QTableSettings& settings) {
  const std::vector<std::size_t> counts = bin_counts(role, settings);
  StateBins bins;
  for (std::size_t c = 0; c < counts.size(); ++c) {
    const Column& column = role.columns[c];
    auto& edges = bins.edges.emplace_back();
    for (std::size_t edge = 1; edge < counts[c]; ++edge)
      edges.push_back(static_cast<float>(
          is_flag(column) ? 0.5
                          : std::lerp(column.low, column.high,
                                      static_cast<double>(edge) / static_cast<double>(counts[c]))));
  }
  return bins;
}

TableTrainee::TableTrainee(TrainingContext& context, std::vector<std::size_t> roles,
                           const QTableSettings& settings)
    : context_(context),
      roles_(std::move(roles)),
      settings_(settings),
      signature_(table_signature(role())),
      heads_(role().controls, role().columns),
      groups_(groups_for(context, roles_)),
      rows_(playable_rows(context, roles_)),
      combinations_(heads_.combinations()),
      horizon_(static_cast<std::size_t>(*settings.horizon)),
      tables_(settings.double_q ? 2 : 1),
      steps_(horizon_ * rows_),
      allowed_(horizon_ * rows_ * heads_.masks()),
      last_allowed_(allowed_.size()),
      pending_(rows_) {
  const std::size_t controls = role().controls.size();
  for (std::size_t c = 0; c < combinations_; ++c) {
    // The last choice is the last digit.
    std::vector<float> action(controls);
    for (std::size_t k = controls, rest = c; k-- > 0; rest /= role().controls[k].options.size())
      action[k] = static_cast<float>(rest % role().controls[k].options.size());
    std::size_t output = 0;
    for (std::size_t k = 0; k < controls; ++k) {
      combination_actions_.push_back(action[k]);
      combination_outputs_.push_back(output + static_cast<std::size_t>(action[k]));
      output += role().controls[k].options.size();
    }
  }
  check_states(role(), settings);
  StateTable table(bins_for(role(), settings), combinations_,
                   static_cast<float>(settings.first_value), tables_);
  words_ = table.words();
  if (settings.binning == Binning::quantiles)
    sensed_.resize(horizon_ * rows_ * role().columns.size());
  else
    table_ = std::move(table);
  keys_.resize(horizon_ * rows_ * words_);
  last_keys_.resize(keys_.size());
  for (std::size_t worker = 0; worker < context.pool.threads(); ++worker)
    rooms_.push_back({std::vector<float>(combinations_), std::vector<float>(heads_.outputs())});
}

double TableTrainee::done() const {
  return std::min(1.0, static_cast<double>(context_.steps) /
                           static_cast<double>(std::max<std::int64_t>(1, context_.total_steps)));
}

double TableTrainee::epsilon() const {
  return std::lerp(settings_.epsilon, settings_.last_epsilon,
                   std::min(1.0, done() / settings_.explore_until));
}

// ---- playing

void TableTrainee::forbid(std::span<const float> allowed, Room& room) const {
  if (allowed.empty()) return;
  std::fill(room.marks.begin(), room.marks.end(), 0.0f);
  heads_.forbid<float>(allowed, room.marks);
  const std::size_t controls = heads_.controls();
  for (std::size_t c = 0; c < combinations_; ++c)
    for (std::size_t k = 0; k < controls; ++k)
      if (room.marks[combination_outputs_[c * controls + k]] < 0.0f)
        room.values[c] = StateTable::forbidden;
}

void TableTrainee::read_values(std::size_t row, std::span<const float> allowed, Room& room) const {
  if (row == StateTable::none) {
    std::fill(room.values.begin(), room.values.end(), table_->first_value());
  } else {
    table_->mean_row(row, room.values);
  }
  forbid(allowed, room);
}

std::pair<std::size_t, bool> TableTrainee::choose(std::span<float> values,
                                                  RandomStream& random) const {
  const auto allowed = [&](std::size_t c) { return values[c] > StateTable::forbidden; };
  const auto best =
      static_cast<std::size_t>(std::max_element(values.begin(), values.end()) - values.begin());
  const float most = values[best];
  // Any of those that `weigh` gives a weight, in proportion to it.
  const auto draw = [&](auto weigh) {
    float all = 0.0f;
    for (std::size_t c = 0; c < values.size(); ++c) all += allowed(c) ? weigh(c) : 0.0f;
    float left = random.uniform() * all;
    std::size_t last = best;
    for (std::size_t c = 0; c < values.size(); ++c) {
      if (!allowed(c) || weigh(c) <= 0.0f) continue;
      last = c;
      if ((left -= weigh(c)) < 0.0f) break;
    }
    return std::pair(last, values[last] == most);
  };
  if (settings_.exploration == Exploration::softmax && binned()) {
    const auto temperature =
        static_cast<float>(std::lerp(settings_.temperature, settings_.last_temperature,
                                     std::min(1.0, done() / settings_.explore_until)));
    return draw([&](std::size_t c) { return std::exp((values[c] - most) / temperature); });
  }
  if (!binned() || static_cast<double>(random.uniform()) < epsilon())
    return draw([](std::size_t) { return 1.0f; });
  return draw([&](std::size_t c) { return values[c] == most ? 1.0f : 0.0f; });
}

// In some steps a teacher's controls stand; they are there already.
bool TableTrainee::teacher_acts(const RoleRows& role_rows, std::size_t i, std::size_t time) const {
  if (!context_.is_advised(role_rows.role)) return false;
  const auto given = context_.environment->control(role_rows.role, role_rows.first_row + i);
  if (std::any_of(given.begin(), given.end(), [](float x) { return std::isnan(x); })) return false;
  RandomStream random(
      derived_seed(seed(), "teacher"), static_cast<std::uint32_t>(role_rows.own_row + i),
      static_cast<std::uint32_t>(static_cast<std::size_t>(context_.updates) * horizon_ + time),
      Purpose::decide);
  const double share =
      settings_.teacher_share * std::max(0.0, 1.0 - done() / settings_.teacher_fades_by);
  return static_cast<double>(random.uniform()) < share;
}

void TableTrainee::decide_row(const RoleRows& role_rows, std::size_t i, std::size_t time,
                              std::uint64_t decide_seed, Room& room) {
  Environment& environment = *context_.environment;
  const std::size_t lane_row = role_rows.first_row + i, own_row = role_rows.own_row + i,
                    at = place(time, own_row), lane = lane_row / environment.seats(role_rows.role),
                    masks = heads_.masks(), controls = heads_.controls();
  const auto senses = environment.observation(role_rows.role, lane_row);
  const auto allowed = std::span(allowed_).subspan(at * masks, masks);
  heads_.read_masks(senses, allowed);
  std::size_t row = StateTable::none;
  if (binned()) {
    table_->key(senses, key(keys_, at));
    row = table_->find(key(keys_, at));
    read_values(row, allowed, room);
  } else {
    std::copy(senses.begin(), senses.end(),
              sensed_.begin() + static_cast<std::ptrdiff_t>(at * senses.size()));
    std::fill(room.values.begin(), room.values.end(), 0.0f);
    forbid(allowed, room);
  }
  RandomStream random(
      decide_seed, static_cast<std::uint32_t>(own_row),
      static_cast<std::uint32_t>(static_cast<std::size_t>(context_.updates) * horizon_ + time),
      Purpose::decide);
  auto [combination, best] = choose(room.values, random);
  if (teacher_acts(role_rows, i, time)) {
    combination = heads_.combination(environment.control(role_rows.role, lane_row));
    best = room.values[combination] >= *std::max_element(room.values.begin(), room.values.end());
  }
  steps_[at] = {.combination = static_cast<std::uint32_t>(combination),
                .acted = !environment.idle(lane) && environment.present(role_rows.role, lane_row),
                .best = best};
  heads_.controls_of(std::span(combination_actions_).subspan(combination * controls, controls),
                     environment.control(role_rows.role, lane_row));
}

void TableTrainee::decide(std::size_t group, std::size_t time, std::size_t worker) {
  const std::uint64_t decide_seed = derived_seed(seed(), "decide");
  for (const RoleRows& role_rows : groups_[group].by_role)
    for (std::size_t i = 0; i < role_rows.rows; ++i)
      decide_row(role_rows, i, time, decide_seed, rooms_[worker]);
}

void TableTrainee::note(std::size_t group, std::size_t lane, std::size_t time, std::size_t) {
  const Environment& environment = *context_.environment;
  const Outcome outcome = environment.outcome(lane);
  const std::size_t masks = heads_.masks();
  for (const RoleRows& role_rows : groups_[group].by_role) {
    if (!role_rows.holds(lane)) continue;
    const std::size_t seats = environment.seats(role_rows.role);
    for (std::size_t row = lane * seats; row < (lane + 1) * seats; ++row) {
      const std::size_t at = place(time, role_rows.own_row + row - role_rows.first_row);
      Step& step = steps_[at];
      step.reward = environment.rewards(role_rows.role)[row];
      step.ended = outcome != Outcome::running;
      step.cut_off = outcome == Outcome::cutoff;
      step.lost = environment.lost(lane);
      if (!step.cut_off || !binned()) continue;
      const auto senses = environment.observation(role_rows.role, row);
      table_->key(senses, key(last_keys_, at));
      heads_.read_masks(senses, std::span(last_allowed_).subspan(at * masks, masks));
    }
  }
}

void TableTrainee::forget(std::size_t role, const LaneGroup& group, std::size_t lane) {
  const RoleRows rows = block_of(context_, roles_, role, group);
  const std::size_t seats = context_.environment->seats(role),
                    first = rows.own_row + lane * seats - rows.first_row;
  for (std::size_t row = first; row < first + seats; ++row) {
    pending_[row].there = false;
    pending_[row].traces.clear();
  }
}

// ---- keeping

void TableTrainee::store(TensorFile& file) const {
  signature_.store(file);
  file.put("policy.log_stddev", {0}, std::span<const float>{});
  const std::array<double, 2> scale{0.0, 1.0};
  file.put("value.scale", std::span<const double>(scale));
  if (binned()) {
    table_->store(file);
  } else {
    // All states are the same yet.
    StateBins none;
    none.edges.resize(role().columns.size());
    StateTable(none, combinations_, static_cast<float>(settings_.first_value), tables_).store(file);
    file.put("table.met", {met_.size()}, met_);
  }
  std::vector<std::int64_t> waiting{learned_};
  std::vector<double> numbers;
  for (const Pending& p : pending_) {
    for (const std::size_t n : {std::size_t{p.there}, p.row, p.combination, p.traces.size()})
      waiting.push_back(static_cast<std::int64_t>(n));
    numbers.push_back(static_cast<double>(p.reward));
    for (const Trace& trace : p.traces) {
      waiting.push_back(static_cast<std::int64_t>(trace.row));
      waiting.push_back(static_cast<std::int64_t>(trace.combination));
      numbers.push_back(static_cast<double>(trace.strength));
    }
  }
  file.put("table.waiting", std::span<const std::int64_t>(waiting));
  file.put("table.waiting_numbers", std::span<const double>(numbers));
}

void TableTrainee::restore(const TensorFile& file) {
  const auto refuse = [](const std::string& what) {
    throw Error(ErrorKind::refused, what, "checkpoint",
                "resume with the game it was trained in, or start a new run");
  };
  if (const auto d = first_difference(signature_, PolicySignature::from(file)); !d.empty())
    refuse("the checkpoint does not fit the game: " + d);
  StateTable table = StateTable::from(file, role().columns.size(), combinations_);
  if (file.has("table.met")) {
    table_.reset();
    met_.resize(file.shape("table.met").at(0));
    file.get("table.met", met_);
  } else {
    if (table.tables() != tables_ || table.words() > words_)
      refuse("the checkpoint's table is another one");
    words_ = table.words();
    table_ = std::move(table);
  }
  const auto waiting = file.integers("table.waiting");
  const auto numbers = file.doubles("table.waiting_numbers");
  std::size_t next = 0, number = 0;
  const std::size_t rows = table_ ? table_->size() : 0;
  const auto get = [&](std::size_t below) {
    if (next >= waiting.size() || waiting[next] < 0 ||
        static_cast<std::size_t>(waiting[next]) >= below)
      refuse("what the checkpoint's table waits for makes no sense");
    return static_cast<std::size_t>(waiting[next++]);
  };
  const auto get_number = [&] {
    if (number >= numbers.size()) refuse("what the checkpoint's table waits for is cut short");
    return static_cast<float>(numbers[number++]);
  };
  learned_ = static_cast<std::int64_t>(get(std::size_t{1} << 62));
  for (Pending& p : pending_) {
    p.there = get(2) == 1;
    p.row = get(std::max<std::size_t>(1, rows));
    p.combination = get(combinations_);
    p.traces.resize(get(std::size_t{1} << 20));
    p.reward = get_number();
    for (Trace& trace : p.traces) {
      trace.row = get(rows);
      trace.combination = get(combinations_);
      trace.strength = get_number();
    }
  }
}

Continuation TableTrainee::continue_from(const TensorFile& file) {
  if (!PolicySignature::from(file).tabular)
    throw Error(ErrorKind::refused, "what was trained before is a network, and not a table",
                "checkpoint", "let it teach: name it as --teacher, and set teacher_share");
  if (const auto d = first_difference(signature_, PolicySignature::from(file)); !d.empty())
    throw Error(ErrorKind::refused, "what was trained before does not fit: " + d, "checkpoint",
                "continue with a table of these senses and controls");
  StateTable table = StateTable::from(file, role().columns.size(), combinations_);
  if (table.tables() != tables_ || (binned() && !(table.bins() == table_->bins())))
    throw Error(ErrorKind::refused, "the table that was trained before has other bins",
                "checkpoint", "continue with the same bins");
  const std::size_t numbers = table.size() * combinations_;
  words_ = std::max<std::size_t>(1, table.words());
  table_ = std::move(table);
  return {.parts = {{"table", Continuation::Taken::all, numbers, numbers}}};
}

}  // namespace zithercraft::learn_internal

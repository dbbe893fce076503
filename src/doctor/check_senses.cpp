#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "doctor/checks.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft::doctor_internal {
namespace {

// Why a tag matters to a role: by which term.
struct Wanted {
  std::string tag, term;
  bool decides = false;  // success hangs on it
};

std::vector<Wanted> wanted_tags(const RoleSpec& role) {
  std::vector<Wanted> wanted;
  for (const Term& term : role.rewards) {
    if (term.weight == 0.0 && term.ends == Verdict::none) continue;
    const bool decides = term.ends == Verdict::success;
    const auto add = [&](const std::string& tag) {
      if (!tag.empty()) wanted.push_back({tag, term.name, decides});
    };
    if (term.progress) {
      add(term.progress->to);
      add(term.progress->of);
    }
    if (term.on) {
      for (const auto& tag : term.on->with) add(tag);
      add(term.on->of);
    }
    if (term.when) {
      for (const auto& tag : {term.when->inside, term.when->near, term.when->of}) add(tag);
      for (const auto& tag : term.when->touching) add(tag);
    }
    if (term.change) add(term.change->of);
    if (term.near_miss) add(term.near_miss->to);
  }
  return wanted;
}

struct Family {
  std::vector<std::size_t> columns, found;
};
std::map<std::string, Family> families_of(const Role& role) {
  std::map<std::string, Family> families;
  for (std::size_t c = 0; c < role.columns.size(); ++c)
    // "rays[3].hull" and "rays[7].hull" are of one family, "rays[].hull".
    if (role.columns[c].age == 0)
      families[name_with_index(role.columns[c], "")].columns.push_back(c);
  return families;
}

// All steps of all players.
ColumnSurvey merged(const Examined& e, std::size_t role, std::size_t column) {
  ColumnSurvey all;
  for (const Survey& survey : e.surveys) {
    const ColumnSurvey& c = survey.roles[role].columns[column];
    all.low = std::min(all.low, c.low);
    all.high = std::max(all.high, c.high);
    all.at_low += c.at_low;
    all.at_high += c.at_high;
    all.sum += c.sum;
    all.squares += c.squares;
  }
  return all;
}

std::size_t rows_of(const Examined& e, std::size_t role) {
  std::size_t rows = 0;
  for (const Survey& survey : e.surveys) rows += survey.roles[role].rows;
  return rows;
}

class ColumnChecks {
 public:
  ColumnChecks(const Examined& e, std::size_t role, Findings& findings)
      : e_(e),
        role_(role),
        spec_(e.game.roles()[role]),
        rows_(rows_of(e, role)),
        findings_(findings) {
    for (std::size_t c = 0; c < spec_.columns.size(); ++c) merged_.push_back(merged(e, role, c));
  }

  void check() {
    if (rows_ == 0) return;
    for (const auto& [name, family] : families_of(spec_)) {
      if (spec_.columns[family.columns.front()].unit == mask_unit) continue;
      check_constant(name, family);
      check_saturated(name, family);
      check_scale(name, family);
    }
    check_agreement();
    check_wrap();
  }

 private:
  void add(Severity severity, const char* check, const std::string& family, std::string what,
           std::string evidence, std::string fix) {
    findings_.push_back({severity, check, role_name(e_.game, role_) + ", column '" + family + "'",
                         std::move(what), std::move(evidence), std::move(fix)});
  }

  template <class Test>
  std::vector<std::size_t> those(const Family& family, const Test& test) const {
    std::vector<std::size_t> found;
    std::copy_if(family.columns.begin(), family.columns.end(), std::back_inserter(found), test);
    return found;
  }
  std::string how_many(const std::vector<std::size_t>& found, const Family& family) const {
    return family.columns.size() == 1
               ? "it"
               : fmt::format("{} of {}", found.size(), family.columns.size());
  }

  void check_constant(const std::string& name, const Family& family) {
    const auto found = those(family, [&](std::size_t c) { return merged_[c].constant(); });
    // Some say something: others may be a matter of luck.
    if (found.size() < family.columns.size()) return;
    add(Severity::warning, "constant column", name,
        family.columns.size() == 1
            ? "never changes"
            : fmt::format("none of its {} columns ever changes", found.size()),
        fmt::format("always {:g} in {} steps", merged_[found.front()].low, rows_),
        "check its reach and what it sees; leave it out if it has nothing to say");
  }

  void check_saturated(const std::string& name, const Family& family) {
    const auto stuck = [&](std::size_t c) {
      const ColumnSurvey& s = merged_[c];
      const double bound = 0.99 * static_cast<double>(rows_);
      return spec_.columns[c].unit != "flag" && !s.constant() &&
             (static_cast<double>(s.at_low) > bound || static_cast<double>(s.at_high) > bound);
    };
    const auto found = those(family, stuck);
    if (found.size() * 2 < family.columns.size() || found.empty()) return;
    const ColumnSurvey& s = merged_[found.front()];
    add(Severity::warning, "saturated column", name,
        fmt::format("{} stays at its bound", how_many(found, family)),
        fmt::format("at its {} bound in {} of {} steps", s.at_high > s.at_low ? "upper" : "lower",
                    percent(static_cast<double>(std::max(s.at_low, s.at_high)) /
                            static_cast<double>(rows_)),
                    rows_),
        e_.game.spec().custom
            ? "widen its range in the game's spec, if players bring about more than it can say"
            : "widen its range: `reach`, `top_speed` or the meter's bounds");
  }

  void check_scale(const std::string& name, const Family& family) {
    const auto excess = [&](std::size_t c) {
      const Column& column = spec_.columns[c];
      const double size = std::max(std::fabs(column.low), std::fabs(column.high)),
                   outside = std::max(static_cast<double>(column.low) - merged_[c].low,
                                      merged_[c].high - static_cast<double>(column.high)),
                   width = static_cast<double>(column.high) - static_cast<double>(column.low);
      return std::max(
          std::max(std::fabs(merged_[c].low), std::fabs(merged_[c].high)) / std::max(1e-9, size),
          1.0 + outside / std::max(1e-9, width));
    };
    const auto worst =
        *std::max_element(family.columns.begin(), family.columns.end(),
                          [&](std::size_t a, std::size_t b) { return excess(a) < excess(b); });
    const double by = excess(worst);
    if (by < 1.5) return;
    add(by > 100.0 ? Severity::error : Severity::warning, "column out of scale", name,
        fmt::format("reaches {:g} times its declared range", by),
        fmt::format("'{}' ran from {:g} to {:g}, declared {:g} to {:g}", spec_.columns[worst].name,
                    merged_[worst].low, merged_[worst].high, spec_.columns[worst].low,
                    spec_.columns[worst].high),
        "declare the range that it has, or divide it by what it can reach");
  }

  void check_agreement() {
    std::map<std::vector<std::uint64_t>, std::vector<std::size_t>> same;
    for (std::size_t c = 0; c < spec_.columns.size(); ++c) {
      if (merged_[c].constant() || spec_.columns[c].age > 0) continue;
      std::vector<std::uint64_t> sequence;
      for (const Survey& survey : e_.surveys)
        sequence.push_back(survey.roles[role_].columns[c].sequence);
      same[sequence].push_back(c);
    }
    for (const auto& [sequence, columns] : same) {
      if (columns.size() < 2 || flags_of_one_sense(columns)) continue;
      add(Severity::warning, "equal columns", spec_.columns[columns[1]].name,
          fmt::format("is always equal to '{}'", spec_.columns[columns[0]].name),
          fmt::format("{} columns had the same value in all {} steps", columns.size(), rows_),
          "leave all but one out, or check that each senses what its name says");
    }
  }

  // Neighbouring rays and cells see the same by their nature.
  bool flags_of_one_sense(const std::vector<std::size_t>& columns) const {
    return std::all_of(columns.begin(), columns.end(), [&](std::size_t c) {
      return spec_.columns[c].sense == spec_.columns[columns.front()].sense &&
             (spec_.columns[c].unit == "flag" || spec_.columns[c].unit == "brightness");
    });
  }

  // A column that hardly changes as the body turns a little must not jump where the heading goes
  // from 180 to -180.
  void check_wrap() {
    // Turns are whole quarters there, or walls are near.
    if (e_.game.arena().cell_columns() > 0 || e_.game.spec().custom) return;
    constexpr int starts = 8;
    Lanes lanes(e_.game, 1);
    std::vector<int> jumps(spec_.columns.size());
    for (int k = 0; k < starts; ++k) {
      lanes.begin(0, {e_.options.seed, 7, static_cast<std::uint32_t>(k)});
      const EntityId body = spec_.seats.front();
      const Pose pose = lanes.view(0).pose(body);
      const auto sensed_at = [&](double degrees) {
        e_.game.arena().put(lanes.arena_state(0), body, pose.x, pose.y,
                            degrees * 3.14159265358979 / 180.0, pose.z);
        const std::vector<std::byte> snapshot(lanes.state(0).begin(), lanes.state(0).end());
        lanes.restore(0, snapshot);
        const auto row = lanes.observation(role_, 0);
        return std::vector<float>(row.begin(), row.end());
      };
      const auto a = sensed_at(179.6), b = sensed_at(179.9), c = sensed_at(-179.9);
      for (std::size_t i = 0; i < a.size(); ++i) {
        const Column& column = spec_.columns[i];
        if (column.unit == "flag" || column.unit == "m" || column.unit == "brightness") continue;
        const auto range = static_cast<float>(column.high - column.low);
        jumps[i] +=
            std::fabs(c[i] - b[i]) > 0.5f * range && std::fabs(b[i] - a[i]) < 0.05f * range ? 1 : 0;
      }
    }
    for (std::size_t i = 0; i < jumps.size(); ++i)
      if (jumps[i] * 2 > starts)
        add(Severity::error, "wrapping column", spec_.columns[i].name,
            "jumps across its range where the heading goes from 180 to -180 degrees",
            fmt::format("at {} of {} starts it jumped as the body turned by 0.2 degrees", jumps[i],
                        starts),
            "give angles as cosine and sine");
  }

  const Examined& e_;
  std::size_t role_;
  const Role& spec_;
  std::size_t rows_;
  Findings& findings_;
  std::vector<ColumnSurvey> merged_;
};

}  // namespace

void check_unseen_tags(const Examined& e, Findings& findings) {
  for (std::size_t r = 0; r < e.game.roles().size(); ++r) {
    const TagSet sensed = sensed_tags(e.game, r);
    const bool custom = has_custom_senses(e.game, r);
    const auto reports = tag_reports(e.game, r);
    std::set<std::string> told;
    for (const Wanted& wanted : wanted_tags(e.game.spec().roles[r])) {
      const std::size_t tag = e.game.arena().tag(wanted.tag, "");
      if (tag == e.game.arena().entity(e.game.roles()[r].seats.front()).tag ||
          !told.insert(wanted.tag).second)
        continue;
      const std::string subject = role_name(e.game, r) + ", tag '" + wanted.tag + "'";
      if (!sensed.holds(tag)) {
        findings.push_back({custom ? Severity::note : Severity::error, "unseen tag", subject,
                            fmt::format("the term '{}' is about it, and no sense reports it{}",
                                        wanted.term, custom ? " unless a custom one does" : ""),
                            "no ray fan, window, compass, crowd or camera lists the tag",
                            "add it to `sees` of a sense, or give the role a compass to it"});
        continue;
      }
      const bool countable =
          std::any_of(reports.begin(), reports.end(),
                      [&](const TagReport& report) { return report.tag == tag; });
      std::size_t seen = 0;
      for (const Survey& survey : e.surveys) seen += survey.roles[r].seen[tag];
      const std::size_t rows = rows_of(e, r);
      if (!countable || rows == 0 || seen > 0) continue;
      findings.push_back(
          {wanted.decides ? Severity::error : Severity::warning, "never seen", subject,
           fmt::format("the term '{}' is about it, and no sense ever reported it", wanted.term),
           fmt::format("seen in 0 of {} steps", rows),
           "lengthen the sense's reach, widen its arc, or begin nearer"});
    }
  }
}

std::vector<TagSeen> seen_tags(const Examined& e) {
  std::vector<TagSeen> list;
  for (std::size_t r = 0; r < e.game.roles().size(); ++r) {
    std::set<std::size_t> tags;
    for (const TagReport& report : tag_reports(e.game, r)) tags.insert(report.tag);
    const std::size_t rows = rows_of(e, r);
    for (const std::size_t tag : tags) {
      std::size_t seen = 0;
      for (const Survey& survey : e.surveys) seen += survey.roles[r].seen[tag];
      list.push_back({e.game.roles()[r].name, e.game.arena().tags()[tag],
                      rows == 0 ? 0.0 : static_cast<double>(seen) / static_cast<double>(rows)});
    }
  }
  return list;
}

void check_columns(const Examined& e, Findings& findings) {
  for (std::size_t r = 0; r < e.game.roles().size(); ++r) ColumnChecks(e, r, findings).check();
}

}  // namespace zithercraft::doctor_internal

#include <fmt/format.h>

#include <iterator>

#include "base/csv_field.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/record/convert.hpp"

namespace zithercraft {
using namespace base_internal;
namespace {

using Out = std::back_insert_iterator<std::string>;

std::string name_in(const Game& game, EntityId entity) {
  return entity ? csv_field(game.arena().entity(entity).name) : "";
}

void add_states(std::string& table, const Game& game, std::size_t episode, const Moment& m) {
  if (game.spec().custom) return;  // it has no bodies
  const Arena& arena = game.arena();
  const double seconds = arena.spec().tick * static_cast<double>(arena.ticks(m.state.data()));
  for (const EntityId e : arena.posed()) {
    const Pose pose = arena.pose(m.state.data(), e);
    fmt::format_to(Out(table), "{},{},{:.6g},{},{},{},{},{},{},{},{},{}\n", episode, m.step,
                   seconds, e.number(), csv_field(arena.entity(e).name),
                   csv_field(arena.tags()[arena.tag_of(m.state.data(), e)]),
                   arena.present(m.state.data(), e) ? 1 : 0, pose.x, pose.y, pose.z, pose.heading,
                   pose.pitch);
  }
}

void add_events(std::string& table, const Game& game, std::size_t episode, const Moment& m) {
  for (const Event& e : m.events)
    fmt::format_to(Out(table), "{},{},{},{},{},{},{},{},{},{},{},{},{},{},{}\n", episode, m.step,
                   e.tick, csv_field(std::string(name_of(game, e))), e.who.number(),
                   name_in(game, e.who), e.whom.number(), name_in(game, e.whom), e.x, e.y, e.z,
                   e.strength, e.detail, csv_field(in_words(e.by_who)),
                   csv_field(in_words(e.by_whom)));
}

void add_ledger(std::string& table, const Game& game, std::size_t episode, const Moment& m) {
  if (m.step == 0) return;
  for (std::size_t r = 0; r < game.roles().size(); ++r) {
    const Role& role = game.roles()[r];
    for (std::size_t seat = 0; seat < role.seats.size(); ++seat)
      for (std::size_t t = 0; t < role.terms.size(); ++t)
        fmt::format_to(Out(table), "{},{},{},{},{},{}\n", episode, m.step, csv_field(role.name),
                       seat + 1, csv_field(role.terms[t]),
                       m.roles[r].rewards[seat * role.terms.size() + t]);
  }
}

}  // namespace

void write_csv(const std::filesystem::path& folder, Replay& replay) {
  std::string states = "episode,step,seconds,entity,name,tag,present,x,y,z,heading,pitch\n";
  std::string events =
      "episode,step,tick,kind,who,who_name,whom,whom_name,x,y,z,strength,detail,whom_is,who_is\n";
  std::string ledger = "episode,step,role,seat,term,reward\n";
  for (std::size_t episode = 0; episode < replay.episodes().size(); ++episode)
    for (std::uint32_t d = 0; d < replay.episodes()[episode].moments; ++d) {
      const Moment& m = replay.moment(episode, d);
      add_states(states, replay.game(), episode, m);
      add_events(events, replay.game(), episode, m);
      add_ledger(ledger, replay.game(), episode, m);
    }
  make_folder(folder);
  write_atomically(folder / "states.csv", states);
  write_atomically(folder / "events.csv", events);
  write_atomically(folder / "ledger.csv", ledger);
}

}  // namespace zithercraft

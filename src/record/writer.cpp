#include <zstd.h>

#include <fstream>
#include <nlohmann/json.hpp>

#include "../base/signature_json.hpp"
#include "format.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {

using namespace replay_format;
using nlohmann::json;

namespace {

constexpr int compression_level = 3;

json header_of(const Game& game, const ReplayInfo& info) {
  json roles = json::array();
  for (const Role& role : game.roles())
    roles.push_back({{"name", role.name},
                     {"seats", role.seats.size()},
                     {"columns", role.columns},
                     {"controls", role.controls},
                     {"terms", role.terms}});
  json fields = json::array();
  for (const StateField& f : game.arena().state_fields())
    fields.push_back({{"name", f.name}, {"type", f.type}, {"offset", f.offset}, {"count", f.count}});
  json entities = json::array();
  for (const Entity& e : game.arena().entities())
    entities.push_back({{"name", e.name}, {"tag", game.arena().tags()[e.tag]}});
  return {{"format", "zithercraft replay"},
          {"made_with", info.made_with},
          {"game_name", info.game},
          {"game", info.game_toml},
          {"pilots", info.pilots},
          {"seed", info.seed},
          {"roles", roles},
          {"state_bytes", game.arena().state_bytes()},
          {"state_fields", fields},
          {"entities", entities}};
}

}  // namespace

struct ReplayWriter::State {
  std::filesystem::path path, part;
  std::ofstream out;
  const Game game;
  std::uint64_t offset = 0;
  std::vector<IndexEntry> index;
  std::vector<std::byte> raw, stored;
  ChunkHeader chunk{};
  std::uint32_t episodes = 0;

  void write(std::span<const std::byte> bytes) {
    out.write(reinterpret_cast<const char*>(bytes.data()), static_cast<std::streamsize>(bytes.size()));
    if (!out)
      throw Error(Fault::file, "cannot write the replay", part.string(),
                  "check that the folder exists, can be written, and has space left");
    offset += bytes.size();
  }

  void write_chunk(ChunkKind kind) {
    stored.resize(ZSTD_compressBound(raw.size()));
    const std::size_t size = ZSTD_compress(stored.data(), stored.size(), raw.data(), raw.size(), compression_level);
    stored.resize(size);
    chunk.kind = static_cast<std::uint32_t>(kind);
    chunk.raw_bytes = static_cast<std::uint32_t>(raw.size());
    chunk.stored_bytes = static_cast<std::uint32_t>(stored.size());
    chunk.checksum = chunk_checksum(chunk, stored);
    write(std::as_bytes(std::span(&chunk, 1)));
    write(stored);
    out.flush();
    raw.clear();
  }

  void flush_moments() {
    if (chunk.moments == 0) return;
    index.push_back({offset, chunk.episode, chunk.first_decision, chunk.moments, chunk.outcome});
    write_chunk(ChunkKind::moments);
    chunk = {};
  }
};

ReplayWriter::ReplayWriter(const std::filesystem::path& path, const Game& game, const ReplayInfo& info)
    : state_(new State{path, path.string() + ".part", {}, game, 0, {}, {}, {}, {}, 0}) {
  State& s = *state_;
  s.out.open(s.part, std::ios::binary | std::ios::trunc);
  const std::string header = header_of(game, info).dump();
  const FileStart start{magic, version, static_cast<std::uint32_t>(header.size()), hash_text(header)};
  s.write(std::as_bytes(std::span(&start, 1)));
  s.write(std::as_bytes(std::span(header)));
  s.out.flush();
}

ReplayWriter::~ReplayWriter() = default;

void ReplayWriter::add(const Lanes& lanes, std::size_t lane, std::span<const float> values) {
  State& s = *state_;
  const std::uint32_t decision = lanes.decisions(lane);
  if (decision == 0) {
    s.flush_moments();
    ++s.episodes;
  }
  if (s.chunk.moments == moments_per_chunk || s.raw.size() >= full_chunk) s.flush_moments();
  if (s.chunk.moments == 0) {
    s.chunk.episode = s.episodes - 1;
    s.chunk.first_decision = decision;
  }
  ++s.chunk.moments;
  s.chunk.outcome = static_cast<std::uint32_t>(lanes.outcome(lane));

  append_one(s.raw, decision);
  append_one(s.raw, static_cast<std::uint32_t>(lanes.outcome(lane)));
  append(s.raw, std::span<const std::byte>(lanes.arena_state(lane), s.game.arena().state_bytes()));
  for (std::size_t r = 0; r < s.game.roles().size(); ++r) {
    const Role& role = s.game.roles()[r];
    const std::size_t seats = role.seats.size(), row = lane * seats;
    append(s.raw, lanes.observations(r).subspan(row * role.columns.size(), seats * role.columns.size()));
    const std::vector<float> nothing(seats * std::max(role.controls.size(), role.terms.size()));
    if (decision == 0) {
      append(s.raw, std::span<const float>(nothing).first(seats * (role.controls.size())));
      append(s.raw, std::span<const float>(nothing).first(seats * (role.terms.size())));
    } else {
      const auto controls = lanes.given_controls(r).subspan(row * role.controls.size(), seats * role.controls.size());
      append(s.raw, controls);
      for (std::size_t seat = 0; seat < seats; ++seat) append(s.raw, lanes.payments(r, row + seat));
    }
    const std::vector<float> no_values(seats);
    append(s.raw, values.empty() ? std::span<const float>(no_values) : values.subspan(0, seats));
    if (!values.empty()) values = values.subspan(seats);
  }
  append_one(s.raw, static_cast<std::uint32_t>(lanes.events(lane).size()));
  for (const Event& e : lanes.events(lane))
    append_one(s.raw,
               StoredEvent{e.tick, static_cast<std::uint32_t>(e.kind), e.who, e.whom, e.x, e.y, e.strength, e.detail});
}

void ReplayWriter::finish() {
  State& s = *state_;
  s.flush_moments();
  const std::uint64_t index_offset = s.offset;
  append(s.raw, std::span<const IndexEntry>(s.index));
  s.write_chunk(ChunkKind::index);
  const FileEnd end{index_offset, end_checksum(index_offset), end_magic};
  s.write(std::as_bytes(std::span(&end, 1)));
  s.out.close();
  if (!s.out) throw Error(Fault::file, "cannot write the replay", s.part.string(), "check the space left");
  std::error_code code;
  std::filesystem::rename(s.part, s.path, code);
  if (code)
    throw Error(Fault::file, "cannot name the replay: " + code.message(), s.path.string(), "choose another name");
}

}  // namespace zithercraft

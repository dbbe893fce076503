// A game that was there before anybody thought of learning: Wrackby's fish market. A carter fetches
// crates from the quay and brings them to the stalls, where people queue and lose their patience.
// The game is a class with containers of its own; it knows nothing of arenas.
//
//     own_game                                   trains, scores, records and draws it
//     own_game train fish_market --run runs/x    and it is at home in every command of the tool

#include <array>
#include <cstdio>
#include <deque>
#include <map>
#include <string>

#include "zithercraft/cli/main.hpp"
#include "zithercraft/evaluate/evaluation.hpp"
#include "zithercraft/run/train.hpp"
#include "zithercraft/show/page.hpp"

namespace zc = zithercraft;

namespace {

enum Move : std::size_t { wait, left, right, load, unload };
enum Term : std::size_t { sold, lost };

class FishMarket : public zc::CustomGame {
 public:
  void begin(const zc::CustomStart& start) override {
    random_ = start.random();
    patience_ = static_cast<std::uint32_t>(start.setting("patience"));
    rush_ = static_cast<float>(start.setting("rush"));
    aim_ = static_cast<int>(start.setting("aim"));
    stalls_ = {{1, {}}, {2, {}}, {4, {}}};  // by the place where they stand; the quay is at 0
    place_ = crates_ = sales_ = 0;
  }

  void step(zc::CustomStep& step) override {
    carry_out(static_cast<std::size_t>(step.control(0)));
    for (auto& [place, stall] : stalls_) {
      if (random_.uniform() < rush_) stall.queue.push_back(step.number());
      while (!stall.queue.empty() && step.number() - stall.queue.front() > patience_) {
        stall.queue.pop_front();  // the one that waited longest goes away
        step.pay(lost, 1.0);
        step.happen(lost);
      }
      if (stall.queue.empty() || stall.crates.empty()) continue;
      stall.queue.pop_front();
      stall.crates.pop_back();
      step.pay(sold, 1.0);
      step.happen(sold);
      if (++sales_ == aim_) step.end(zc::Verdict::success);
    }
  }

  void observe(std::size_t, std::size_t, std::span<float> columns) const override {
    columns[0] = static_cast<float>(place_) / 4.0f;
    columns[1] = static_cast<float>(crates_) / 3.0f;
    std::size_t next = 2;
    for (const auto& [place, stall] : stalls_) {
      columns[next++] = std::min(1.0f, static_cast<float>(stall.crates.size()) / 6.0f);
      columns[next++] = std::min(1.0f, static_cast<float>(stall.queue.size()) / 6.0f);
    }
  }

  bool allowed(std::size_t, std::size_t, std::size_t, std::size_t option) const override {
    if (option == load) return place_ == 0 && crates_ < 3;
    return option != unload || (crates_ > 0 && stalls_.contains(place_));
  }

  void draw(std::vector<zc::Overlay>& drawing) const override {
    using Form = zc::Overlay::Form;
    zc::Overlay quay{.name = "quay", .form = Form::boxes, .colour = {150, 150, 160}};
    zc::Overlay stands{.name = "stalls", .form = Form::boxes, .colour = {190, 150, 100}};
    zc::Overlay crates{.name = "crates", .form = Form::boxes, .colour = {60, 120, 180}};
    zc::Overlay people{.name = "people", .form = Form::points, .colour = {190, 70, 50}};
    zc::Overlay cart{.name = "cart", .form = Form::boxes, .colour = {70, 70, 70}};
    quay.numbers = {-0.4f, 0.0f, 0.4f, 1.0f};
    for (const auto& [place, stall] : stalls_) {
      const auto x = static_cast<float>(place);
      stands.numbers.insert(stands.numbers.end(), {x - 0.4f, 1.0f, x + 0.4f, 1.2f});
      for (std::size_t i = 0; i < stall.crates.size(); ++i)
        add_crate(crates, x - 0.2f, 1.22f + 0.2f * static_cast<float>(i));
      for (std::size_t i = 0; i < stall.queue.size(); ++i)
        people.numbers.insert(people.numbers.end(),
                              {x + 0.25f, 1.3f + 0.2f * static_cast<float>(i), 0.0f});
    }
    const auto x = static_cast<float>(place_);
    cart.numbers = {x - 0.3f, 0.3f, x + 0.3f, 0.4f};
    for (int i = 0; i < crates_; ++i)
      add_crate(crates, x - 0.2f + 0.2f * static_cast<float>(i), 0.42f);
    for (zc::Overlay* part : {&quay, &stands, &cart, &crates, &people})
      drawing.push_back(std::move(*part));
    drawing.push_back({.name = "sales",
                       .label = std::to_string(sales_) + " sold",
                       .form = Form::text,
                       .colour = {40, 40, 40},
                       .numbers = {0.2f, 2.6f, 0.0f}});
  }

 private:
  struct Stall {
    std::deque<std::uint32_t> queue;  // the step at which each came
    std::deque<int> crates;
  };

  static void add_crate(zc::Overlay& crates, float x, float y) {
    crates.numbers.insert(crates.numbers.end(), {x - 0.08f, y, x + 0.08f, y + 0.16f});
  }

  void carry_out(std::size_t move) {
    if (move == left && place_ > 0) --place_;
    if (move == right && place_ < 4) ++place_;
    if (move == load) ++crates_;
    if (move != unload) return;
    --crates_;
    stalls_[place_].crates.push_back(1);
  }

  zc::RandomStream random_{0, 0, 0, zc::Purpose::user};
  std::map<int, Stall> stalls_;
  std::uint32_t patience_ = 0;
  float rush_ = 0.0f;
  int place_ = 0, crates_ = 0, sales_ = 0, aim_ = 0;
};

zc::GameSpec fish_market() {
  zc::GameSpec game{.name = "fish_market", .about = "a carter supplies the stalls of a market"};
  game.custom = {.settings = {{"patience", 20.0}, {"rush", 0.12}, {"aim", 30.0}},
                 .events = {"sold", "lost"},
                 .step_seconds = 0.25,
                 .frame = {{-0.6, -0.2, 4.6, 2.8}},
                 .code = [] { return std::make_unique<FishMarket>(); }};
  zc::CustomSense sees{.name = "market",
                       .columns = {{.name = "place", .scale = 4}, {.name = "crates", .scale = 3}}};
  for (const char* stall : {"cod", "crab", "kelp"})
    for (const char* what : {"crates", "queue"})
      sees.columns.push_back({.name = std::string(stall) + "." + what, .scale = 6});
  const zc::AllowedWhen it_can{.by_game = true};
  game.roles = {{.name = "carter",
                 .senses = {sees},
                 .controls = {zc::Choice{.name = "move",
                                         .options = {{.name = "wait"},
                                                     {.name = "left"},
                                                     {.name = "right"},
                                                     {.name = "load", .allowed_when = it_can},
                                                     {.name = "unload", .allowed_when = it_can}}}},
                 .rewards = {{.name = "sold", .weight = 1.0}, {.name = "lost", .weight = -0.5}}}};
  game.cutoffs.steps = 200;
  return game;
}

}  // namespace

int main(int argc, char** argv) try {
  zc::add_game(fish_market());
  if (argc > 1) return zc::zithercraft_main(argc, argv);

  const zc::Run run =
      zc::train(fish_market(),
                {.folder = "runs/fish_market", .steps = 400'000, .existing = zc::Existing::fresh});
  const zc::Score score = zc::evaluate(run, {.episodes = 300});
  for (const zc::PlayerScore& player : score.players)
    std::printf("%-8s sells all in %3.0f%% of the days\n", player.name.c_str(),
                100.0 * player.success.mean);
  zc::record(run, "fish_market.zrep", {.episodes = 3});
  zc::write_page("fish_market.html", {"fish_market.zrep"});
  return 0;
} catch (const zc::Error& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}

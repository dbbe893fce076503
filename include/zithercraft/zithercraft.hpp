#pragma once

// Everything a program needs to build games, train, score, record and draw. A finished game that only plays a trained
// policy includes zithercraft/net/policy.hpp and links zithercraft::net alone.

#include "zithercraft/arena/arena.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/episode.hpp"
#include "zithercraft/game/game.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/match/pilot.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/net/policy.hpp"
#include "zithercraft/record/replay.hpp"
#include "zithercraft/show/picture.hpp"
#include "zithercraft/show/report.hpp"
#include "zithercraft/study/metrics.hpp"
#include "zithercraft/study/run.hpp"
#include "zithercraft/study/score.hpp"
#include "zithercraft/study/train.hpp"

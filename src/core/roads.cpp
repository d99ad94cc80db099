#include "roads.h"

namespace ronda::core {

const std::array<const char*, road_count> road_names = {
    "direct table",      "hash table",           "packed keys",
    "two words",         "folded keys",          "nearest walked",
    "nearest searched",  "nearest sorted first", "nearest with ties",
    "nearest in rounds", "once by distance",     "ranges by one",
    "ranges ascending",  "ranges by tree",       "ranges tried",
    "rows borrowed",     "rows copied",          "rows sorted",
    "columns distinct",  "columns at once",      "columns side by side",
    "column deferred"};

}  // namespace ronda::core

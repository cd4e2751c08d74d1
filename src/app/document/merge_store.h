// Where merges are kept between sittings.
#pragma once

#include "render/stages/merged_store.h"

#include <memory>

namespace yolk::app {

inline constexpr int kCacheGigabytes = 8, kMostCacheGigabytes = 200;
int cacheGigabytes(); ///< that may be kept, from the user's settings
void setCacheGigabytes(int size);

/// In the user's cache folder, as large as the settings allow.
std::shared_ptr<const MergedStore> mergeStore();

} // namespace yolk::app

#include "kept_values.h"

#include <algorithm>

#include "walk.h"

namespace neatsieve {

namespace {
using std::size_t;

bool is_bound(double v) {
  return v == v;
}
}  // namespace

void value_outline::thin_out(size_t level) {
  if (level + 1 == levels_.size()) levels_.emplace_back();
  takes_second_.resize(levels_.size(), false);
  std::vector<double>& full = levels_[level];
  std::vector<double>& above = levels_[level + 1];
  if (level == 0)
    std::sort(full.begin(), full.end());
  else
    std::inplace_merge(full.begin(), full.begin() + room / 2, full.end());
  for (size_t i = takes_second_[level] ? 1 : 0; i < full.size(); i += 2)
    above.push_back(full[i]);
  takes_second_[level] = !takes_second_[level];
  full.clear();
  off_ += std::int64_t{1} << level;
  if (above.size() == room) thin_out(level + 1);
}

std::vector<value_bounds> value_outline::bounds(
    const std::vector<std::int64_t>& places
) const {
  std::vector<std::pair<double, std::int64_t>> all;
  for (size_t level = 0; level < levels_.size(); ++level)
    for (const double v : levels_[level])
      all.emplace_back(v, std::int64_t{1} << level);
  std::sort(all.begin(), all.end());
  // For each different value, about how many are not above it.
  std::vector<std::pair<double, std::int64_t>> upto;
  std::int64_t sum = 0;
  for (const auto& one : all) {
    sum += one.second;
    if (!upto.empty() && upto.back().first == one.first)
      upto.back().second = sum;
    else
      upto.emplace_back(one.first, sum);
  }
  std::vector<value_bounds> out;
  size_t below = 0, reached = 0;
  for (const std::int64_t place : places) {
    while (below < upto.size() && upto[below].second + off_ <= place) ++below;
    while (reached < upto.size() && upto[reached].second - off_ <= place)
      ++reached;
    out.push_back(
        {below > 0 ? upto[below - 1].first : absent_double(),
         reached < upto.size() ? upto[reached].first : absent_double()}
    );
  }
  return out;
}

void counted_values::settle() {
  std::sort(new_.begin(), new_.end());
  std::vector<std::pair<double, std::int64_t>> all;
  auto put = [&all](double v, std::int64_t count) {
    if (!all.empty() && all.back().first == v)
      all.back().second += count;
    else
      all.emplace_back(v, count);
  };
  auto old = counts_.begin();
  for (const double v : new_) {
    for (; old != counts_.end() && old->first <= v; ++old)
      put(old->first, old->second);
    put(v, 1);
  }
  for (; old != counts_.end(); ++old) put(old->first, old->second);
  counts_.swap(all);
  new_.clear();
}

double counted_values::at(std::int64_t place) {
  if (!new_.empty()) settle();
  for (const auto& one : counts_) {
    if (place < one.second) return place < 0 ? absent_double() : one.first;
    place -= one.second;
  }
  return absent_double();
}

sought_values::sought_values(
    const std::vector<std::vector<value_bounds>>& bounds,
    const std::vector<std::int64_t>& n
)
    : groups_(bounds.size()) {
  for (size_t k = 0; k < bounds.size(); ++k) {
    groups_[k].n = n[k];
    std::vector<part>& parts = groups_[k].parts;
    for (const value_bounds& one : bounds[k]) {
      // Bounds rise with their places, so that only the last can overlap.
      const bool overlaps =
          !parts.empty() && !(one.above >= parts.back().within.upto);
      if (!overlaps)
        parts.push_back({one, 0, {}});
      else if (is_bound(parts.back().within.upto))
        parts.back().within.upto = one.upto;
    }
  }
}

void sought_values::add_value(group_parts& group, double v) {
  ++group.met;
  for (part& one : group.parts) {
    if (v <= one.within.above)
      ++one.below;
    else if (!(v > one.within.upto))
      one.values.add(v);
  }
}

void sought_values::add(
    const value_column& column, const grouping& g,
    const std::vector<std::int32_t>& place, const std::int32_t* rows,
    std::int64_t n
) {
  walk(column, g, rows, 0, n, [&](std::int64_t, std::int32_t group, double v) {
    const auto k = static_cast<size_t>(place[static_cast<size_t>(group)]);
    if (v == v && k < groups_.size()) add_value(groups_[k], v);
  });
}

double sought_values::value_of(group_parts& group, std::int64_t place) {
  for (size_t i = group.parts.size(); i-- > 0;) {
    auto& part = group.parts[i];
    if (place >= part.below) return part.values.at(place - part.below);
  }
  return absent_double();
}

std::vector<double> sought_values::quantiles(
    const std::vector<double>& probs, int type
) {
  std::vector<double> out;
  for (group_parts& group : groups_) {
    std::vector<double> values;
    const auto places =
        places_of_quantiles(group.n, probs.data(), probs.size(), type);
    for (const std::int64_t place : places)
      values.push_back(
          group.met == group.n ? value_of(group, place) : absent_double()
      );
    const size_t before = out.size();
    out.resize(before + probs.size());
    quantiles_at(
        places, values, group.n, probs.data(), probs.size(), type,
        out.data() + before
    );
  }
  return out;
}

void value_stretches::begin_stretch() {
  const size_t size =
      sizes_.empty() ? 16 : std::min<size_t>(2 * sizes_.back(), 8192);
  stretches_.emplace_back(size);
  sizes_.push_back(size);
  next_ = stretches_.back().get();
  left_ = size;
}

void value_stretches::clear() {
  std::vector<scratch<double>>().swap(stretches_);
  sizes_.clear();
  left_ = 0;
  size_ = 0;
}

void kept_values::add(
    const value_column& column, const grouping& g,
    const std::vector<std::int32_t>& place, const std::int32_t* rows,
    std::int64_t n
) {
  for (const std::int32_t p : place) {
    const auto groups = static_cast<size_t>(p) + 1;
    if (!is_outlined_ && groups > groups_.size()) groups_.resize(groups);
    if (is_outlined_ && groups > outlines_.size()) outlines_.resize(groups);
  }
  auto add_to = [&](auto& groups) {
    walk(
        column, g, rows, 0, n,
        [&](std::int64_t, std::int32_t group, double v) {
          if (v == v)
            groups[static_cast<size_t>(place[static_cast<size_t>(group)])].add(v
            );
        }
    );
  };
  if (is_outlined_) return add_to(outlines_);
  add_to(groups_);
  std::int64_t kept = 0;
  for (const value_stretches& values : groups_) kept += values.size();
  if (kept > most_) outline_all();
}

void kept_values::outline_all() {
  outlines_.resize(groups_.size());
  for (size_t k = 0; k < groups_.size(); ++k) {
    groups_[k].each([&](const double* values, size_t count) {
      for (size_t i = 0; i < count; ++i) outlines_[k].add(values[i]);
    });
    groups_[k].clear();
  }
  groups_.clear();
  is_outlined_ = true;
}

grouped_values kept_values::together(std::int64_t groups) const {
  grouped_values out;
  const auto all = static_cast<size_t>(groups);
  out.start.assign(all + 1, 0);
  out.absent.assign(all, 0);
  for (size_t k = 0; k < all; ++k)
    out.start[k + 1] =
        out.start[k] + (k < groups_.size() ? groups_[k].size() : 0);
  out.values = scratch<double>(static_cast<size_t>(out.size()));
  for (size_t k = 0; k < std::min(all, groups_.size()); ++k) {
    double* to = out.values.get() + out.start[k];
    groups_[k].each([&](const double* values, size_t count) {
      to = std::copy(values, values + count, to);
    });
  }
  return out;
}

sought_values kept_values::to_seek(
    std::int64_t groups, const std::vector<double>& probs, int type
) const {
  std::vector<std::vector<value_bounds>> bounds(static_cast<size_t>(groups));
  std::vector<std::int64_t> n(static_cast<size_t>(groups), 0);
  for (size_t k = 0; k < std::min(bounds.size(), outlines_.size()); ++k) {
    n[k] = outlines_[k].size();
    bounds[k] = outlines_[k].bounds(
        places_of_quantiles(n[k], probs.data(), probs.size(), type)
    );
  }
  return sought_values(bounds, n);
}

}  // namespace neatsieve

// A list as a value that copies share.
#pragma once

#include <memory>
#include <utility>
#include <vector>

namespace yolk {

/// Never changes in place: take all(), change that, and make another list of it. So a recipe with many strokes is copied
/// at no cost, and a history of such recipes holds what is the same once.
template <class T> class SharedList {
public:
    SharedList() = default;
    SharedList(std::vector<T> items) // implicit: a list is its items
        : shared_(items.empty() ? nullptr : std::make_shared<const std::vector<T>>(std::move(items)))
    {
    }
    size_t size() const { return shared_ ? shared_->size() : 0; }
    bool empty() const { return !shared_; }
    const T *begin() const { return shared_ ? shared_->data() : nullptr; }
    const T *end() const { return begin() + size(); }
    const T &operator[](size_t i) const { return (*shared_)[i]; }
    const T &back() const { return shared_->back(); }
    std::vector<T> all() const { return shared_ ? *shared_ : std::vector<T>(); }
    bool sharesWith(const SharedList &other) const { return shared_ == other.shared_; }
    friend bool operator==(const SharedList &a, const SharedList &b)
    {
        if (a.shared_ == b.shared_)
            return true;
        return a.shared_ && b.shared_ && *a.shared_ == *b.shared_;
    }

private:
    std::shared_ptr<const std::vector<T>> shared_; ///< null: empty
};

} // namespace yolk

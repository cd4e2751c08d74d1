// Planar pixels: Image<T> owns them, ImageView<T> borrows them and is the only parameter type.
// Order is always x, y, plane; rectangles are half-open; rows are aligned to 64 bytes.
#pragma once

#include "base/errors.h"
#include "base/text.h"

#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <memory>
#include <new>
#include <type_traits>
#include <utility>

namespace yolk {

struct Shape {
    int width = 0, height = 0, planes = 0;
    bool operator==(const Shape &) const = default;
    bool empty() const { return width <= 0 || height <= 0 || planes <= 0; }
    size_t pixels() const { return size_t(width) * size_t(height); }
};

/// Half-open: [x0, x1) x [y0, y1).
struct Rect {
    int x0 = 0, y0 = 0, x1 = 0, y1 = 0;
    bool operator==(const Rect &) const = default;
    int width() const { return x1 - x0; }
    int height() const { return y1 - y0; }
    bool empty() const { return x1 <= x0 || y1 <= y0; }
};

template <class T> class ImageView {
public:
    ImageView() = default;
    ImageView(T *data, Shape shape, ptrdiff_t rowStride, ptrdiff_t planeStride)
        : data_(data), shape_(shape), rowStride_(rowStride), planeStride_(planeStride)
    {
    }
    /// A view of constant pixels from one of changeable ones.
    template <class U>
        requires std::is_same_v<T, const U> ImageView(const ImageView<U> &other)
            : ImageView(other.data(), other.shape(), other.rowStride(), other.planeStride())
        {
        }

        Shape shape() const
        {
            return shape_;
        }
        int width() const
        {
            return shape_.width;
        }
        int height() const
        {
            return shape_.height;
        }
        int planes() const
        {
            return shape_.planes;
        }
        T *data() const
        {
            return data_;
        }
        ptrdiff_t rowStride() const
        {
            return rowStride_;
        } ///< in elements
        ptrdiff_t planeStride() const
        {
            return planeStride_;
        } ///< in elements
        T *row(int plane, int y) const
        {
            return data_ + plane * planeStride_ + y * rowStride_;
        }

        ImageView crop(Rect r) const
        {
            return ImageView(data_ + r.y0 * rowStride_ + r.x0, {r.width(), r.height(), shape_.planes}, rowStride_,
                             planeStride_);
        }

    private:
        T *data_ = nullptr;
        Shape shape_;
        ptrdiff_t rowStride_ = 0, planeStride_ = 0;
};

/// A large image is touched page by page; with large pages that is a tenth of the faults. Only a wish to the kernel.
void askForLargePages(void *block, size_t bytes);

/// What a new image holds: large ones get their zeros from the kernel page by page, as they are touched; anything is
/// for those of which every pixel is written before it is read.
enum class Fill { Zeros, Anything };

/// Move only.
template <class T> class Image {
    static_assert(std::is_trivially_copyable_v<T>);

public:
    Image() = default;
    explicit Image(Shape shape, Fill fill = Fill::Zeros) : shape_(shape)
    {
        if (shape.width < 0 || shape.height < 0 || shape.planes < 0)
            throw ArgumentError(
                textOf("image of %d x %d x %d: sizes must not be negative", shape.width, shape.height, shape.planes));
        constexpr size_t kAlign = 64;
        const size_t rowBytes = (size_t(shape.width) * sizeof(T) + kAlign - 1) / kAlign * kAlign;
        rowStride_ = ptrdiff_t(rowBytes / sizeof(T));
        planeStride_ = rowStride_ * shape.height;
        const size_t bytes = rowBytes * size_t(shape.height) * size_t(shape.planes);
        if (bytes == 0)
            return;
        block_.reset(fill == Fill::Zeros ? std::calloc(bytes + kAlign, 1) : std::malloc(bytes + kAlign));
        if (!block_)
            throw std::bad_alloc();
        const auto address = (reinterpret_cast<uintptr_t>(block_.get()) + kAlign - 1) / kAlign * kAlign;
        data_ = reinterpret_cast<T *>(address);
        askForLargePages(block_.get(), bytes);
    }
    Image(int width, int height, int planes) : Image(Shape{width, height, planes}) {}
    Image(Image &&other) noexcept { *this = std::move(other); }
    Image &operator=(Image &&other) noexcept
    {
        block_ = std::move(other.block_);
        data_ = std::exchange(other.data_, nullptr);
        shape_ = std::exchange(other.shape_, {});
        rowStride_ = other.rowStride_;
        planeStride_ = other.planeStride_;
        return *this;
    }

    Shape shape() const { return shape_; }
    int width() const { return shape_.width; }
    int height() const { return shape_.height; }
    int planes() const { return shape_.planes; }
    size_t bytes() const { return size_t(planeStride_) * size_t(shape_.planes) * sizeof(T); }
    T *row(int plane, int y) { return view().row(plane, y); }
    const T *row(int plane, int y) const { return view().row(plane, y); }
    ImageView<T> view() { return {data_, shape_, rowStride_, planeStride_}; }
    ImageView<const T> view() const { return {data_, shape_, rowStride_, planeStride_}; }

private:
    struct Free {
        void operator()(void *block) const { std::free(block); }
    };
    std::unique_ptr<void, Free> block_;
    T *data_ = nullptr;
    Shape shape_;
    ptrdiff_t rowStride_ = 0, planeStride_ = 0;
};

} // namespace yolk

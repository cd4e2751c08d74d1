// lensfun's data files, read.
#pragma once

#include "lens/lens_names.h"

#include <lensfun.h>

#include <memory>
#include <string>

namespace yolk {

class LensData {
public:
    /// `dataFile` in place of those that came with the library.
    explicit LensData(const std::string &dataFile);
    explicit operator bool() const { return data_ != nullptr; }
    const lfDatabase *data() const { return data_.get(); }
    /// Null where it is not listed.
    const lfCamera *camera(const std::string &name) const;
    const lfLens *lens(const lfCamera *camera, const std::string &name) const;

private:
    std::unique_ptr<lfDatabase, void (*)(lfDatabase *)> data_{lf_db_new(), &lf_db_destroy};
};

using LensModifier = std::unique_ptr<lfModifier, void (*)(lfModifier *)>;
/// Set up for pixels of 32-bit floats and what is asked for of LF_MODIFY_..; null where the data say nothing of that.
/// `does`: what they do say.
LensModifier lensModifier(const lfCamera *camera, const lfLens *lens, const LensNames &names, int asked, int &does);

} // namespace yolk

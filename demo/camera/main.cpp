// yolk-camera: takes frames of a radiance image. Used by demo/make and by anybody who tests merging.
#include "simulated_camera.h"
#include "truth.h"

#include "base/errors.h"
#include "io/radiance_file.h"

#include <CLI/CLI.hpp>

#include <algorithm>
#include <iostream>
#include <sstream>

namespace {

using namespace yolk;

/// FILE@X,Y: a part of a scene and where it goes.
void putOverFrom(const std::string &text, Image<float> &scene)
{
    const size_t at = text.rfind('@');
    int x = 0, y = 0;
    char comma = 0;
    if (at == std::string::npos || !(std::istringstream(text.substr(at + 1)) >> x >> comma >> y) || comma != ',')
        throw ArgumentError(text + ": must be FILE@X,Y");
    demo::putOver(scene.view(), readExr(text.substr(0, at)).rgb.view(), x, y);
}

} // namespace

int main(int argc, char **argv)
{
    CLI::App app("Takes one frame of a scene with a simulated camera.", "yolk-camera");
    std::string scenePath, output, without;
    std::vector<std::string> parts;
    std::vector<int> cut;
    demo::Shot shot;
    demo::Lens lens;
    double shoulder = 0.0;
    app.add_option("SCENE", scenePath, "the scene as linear EXR, Rec. 709")->required();
    app.add_option(
           "-o,--output", output,
           "FRAME.dng (raw, 14 bit), .tif (16 bit), .jpg (8 bit); .exr: the scene as the lens shows it, without "
           "noise or clipping; .png with --without: a mask")
        ->required();
    app.add_option("--put", parts, "FILE@X,Y: put a part over the scene first; may be repeated");
    app.add_option("--cut", cut, "X Y WIDTH HEIGHT: keep only this box of the scene")->expected(4);
    app.add_option("--without", without, "the same scene without a thing; gives a mask of that thing");
    auto *exposure = app.add_option_group("Exposure");
    exposure->add_option("--clips-at", shot.clipsAt, "radiance of white at which the frame clips")
        ->check(CLI::PositiveNumber);
    exposure->add_option("--seconds", shot.exposureSeconds, "marked shutter time")->check(CLI::PositiveNumber);
    exposure->add_option("--f-number", shot.fNumber, "marked aperture")->check(CLI::PositiveNumber);
    exposure->add_option("--iso", shot.iso, "sensitivity; noise grows with it")->check(CLI::Range(1, 65535));
    exposure->add_option("--seed", shot.seed, "of the noise");
    exposure->add_option("--date", shot.dateTime, "YYYY:MM:DDThh:mm:ss");
    exposure->add_option("--shoulder", shoulder, "developed files: soft approach to white, 0 is plain sRGB")
        ->check(CLI::Range(0.0, 10.0));
    auto *optics = app.add_option_group("Lens");
    optics->add_option("--softness", lens.softness, "standard deviation of its blur in pixels");
    optics->add_option("--anti-alias", lens.antiAlias,
                       "standard deviation in pixels of the filter before the sensor; 0.5 is a whole one");
    optics->add_option("--barrel", lens.barrel, "the middle is larger than the corners by this share");
    optics->add_option("--red-fringe", lens.redFringe, "red is larger than green by this share");
    optics->add_option("--blue-fringe", lens.blueFringe, "blue is larger than green by this share");
    optics->add_option("--vignetting", lens.vignetting, "stops that the corners lack");
    optics->add_option("--dust", lens.dustSpots, "number of spots on the sensor");
    optics->add_option("--dust-seed", lens.dustSeed, "where they lie");
    CLI11_PARSE(app, argc, argv);
    std::ranges::replace(shot.dateTime, 'T', ' '); // as Exif writes it
    try {
        Image<float> scene = readExr(scenePath).rgb;
        for (const std::string &part : parts)
            putOverFrom(part, scene);
        const auto boxOf = [&](Image<float> &&whole) {
            return cut.empty() ? std::move(whole) : demo::cutOut(whole.view(), {cut[0], cut[1], cut[2], cut[3]});
        };
        scene = boxOf(std::move(scene));
        if (lens != demo::Lens{})
            scene = demo::throughLens(scene.view(), lens);
        if (!without.empty())
            demo::writeMask(output, demo::maskOf(scene.view(), boxOf(readExr(without).rgb).view()).view());
        else if (output.ends_with(".exr"))
            demo::writeTruth(output, scene.view());
        else if (output.ends_with(".dng"))
            demo::writeDng(output, demo::exposeMosaic(scene.view(), shot).view(), shot);
        else if (output.ends_with(".tif") || output.ends_with(".jpg"))
            demo::writeFrame(output, demo::expose(scene.view(), shot).view(), shot,
                             output.ends_with(".tif") ? demo::FrameFile::Tiff : demo::FrameFile::Jpeg, shoulder);
        else
            throw ArgumentError(output + ": must end in .dng, .tif, .jpg or .exr");
        return 0;
    } catch (const std::exception &e) {
        std::cerr << "yolk-camera: " << e.what() << "\n";
        return 1;
    }
}

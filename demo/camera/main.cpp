// yolk-camera: takes a bracket of a radiance image. Used by demo/make and by anybody who tests merging.
#include "simulated_camera.h"

#include "base/errors.h"
#include "io/radiance_file.h"

#include <CLI/CLI.hpp>
#include <iostream>

int main(int argc, char **argv)
{
    using namespace yolk;
    CLI::App app("Takes one frame of a scene with a simulated camera.", "yolk-camera");
    std::string truth, output;
    demo::Shot shot;
    app.add_option("TRUTH", truth, "the scene as linear EXR")->required();
    app.add_option("-o,--output", output, "FRAME.jpg (8 bit) or FRAME.tif (16 bit)")->required();
    app.add_option("--clips-at", shot.clipsAt, "scene radiance at which the frame clips")->required();
    app.add_option("--seconds", shot.exposureSeconds, "marked shutter time")->required();
    app.add_option("--f-number", shot.fNumber, "marked aperture");
    app.add_option("--iso", shot.iso, "sensitivity");
    app.add_option("--seed", shot.seed, "of the noise");
    app.add_option("--date", shot.dateTime, "as Exif writes it");
    CLI11_PARSE(app, argc, argv);
    try {
        const RadianceFile scene = readExr(truth);
        const Image<float> linear = demo::expose(scene.rgb.view(), shot);
        demo::writeFrame(output, linear.view(), shot,
                         output.ends_with(".tif") ? demo::FrameFile::Tiff : demo::FrameFile::Jpeg);
        return 0;
    } catch (const std::exception &e) {
        std::cerr << "yolk-camera: " << e.what() << "\n";
        return 1;
    }
}

// yolk-camera: takes frames of a radiance image. Used by demo/make and by anybody who tests merging.
#include "simulated_camera.h"

#include "base/errors.h"
#include "io/radiance_file.h"

#include <CLI/CLI.hpp>
#include <ImfArray.h>
#include <ImfRgbaFile.h>
#include <iostream>

namespace {

/// A rendered scene as it is committed: half floats, lossy DWAA. What comes out is the truth, not what went in.
void writeTruth(const std::string &from, const std::string &to)
{
    Imf::RgbaInputFile in(from.c_str());
    const Imath::Box2i window = in.dataWindow();
    const int width = window.max.x - window.min.x + 1, height = window.max.y - window.min.y + 1;
    Imf::Array2D<Imf::Rgba> pixels(height, width);
    in.setFrameBuffer(&pixels[-window.min.y][-window.min.x], 1, size_t(width));
    in.readPixels(window.min.y, window.max.y);
    Imf::RgbaOutputFile out(to.c_str(), width, height, Imf::WRITE_RGB, 1.0f, Imath::V2f(0, 0), 1.0f, Imf::INCREASING_Y,
                            Imf::DWAA_COMPRESSION);
    out.setFrameBuffer(&pixels[0][0], 1, size_t(width));
    out.writePixels(height);
}

} // namespace

int main(int argc, char **argv)
{
    using namespace yolk;
    CLI::App app("Takes one frame of a scene with a simulated camera.", "yolk-camera");
    std::string truth, output;
    demo::Shot shot;
    app.add_option("TRUTH", truth, "the scene as linear EXR")->required();
    app.add_option("-o,--output", output, "FRAME.jpg (8 bit), FRAME.tif (16 bit), or .exr to keep the scene")->required();
    app.add_option("--clips-at", shot.clipsAt, "scene radiance at which the frame clips");
    app.add_option("--seconds", shot.exposureSeconds, "marked shutter time");
    app.add_option("--f-number", shot.fNumber, "marked aperture");
    app.add_option("--iso", shot.iso, "sensitivity");
    app.add_option("--seed", shot.seed, "of the noise");
    app.add_option("--date", shot.dateTime, "as Exif writes it");
    CLI11_PARSE(app, argc, argv);
    try {
        if (output.ends_with(".exr")) {
            writeTruth(truth, output);
            return 0;
        }
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

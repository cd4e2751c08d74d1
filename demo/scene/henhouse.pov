// A henhouse at sunrise, rendered as linear radiance (assumed_gamma 1, EXR out).
// 1 unit = 1 m; x right, y up, z into the picture. The camera stands inside and looks at the doorway.
// Parameters (Declare=Name=Value on the command line):
//   HenState   0..6, where the hens stand in that exposure
//   ShiftX/Y/Z camera translation in metres; Roll/Yaw/Pitch in degrees (hand-held parallax)
#version 3.7;
#ifndef (HenState) #declare HenState = 2; #end
#ifndef (ShiftX) #declare ShiftX = 0; #end
#ifndef (ShiftY) #declare ShiftY = 0; #end
#ifndef (ShiftZ) #declare ShiftZ = 0; #end
#ifndef (Roll) #declare Roll = 0; #end
#ifndef (Yaw) #declare Yaw = 0; #end
#ifndef (Pitch) #declare Pitch = 0; #end
#ifndef (Quick) #declare Quick = 0; #end

global_settings {
    assumed_gamma 1.0
    max_trace_level 6
    radiosity {
        pretrace_start 0.08
        pretrace_end #if (Quick) 0.02 #else 0.005 #end
        count #if (Quick) 80 #else 260 #end
        nearest_count 8
        error_bound #if (Quick) 0.9 #else 0.45 #end
        recursion_limit 3
        low_error_factor 0.6
        gray_threshold 0.0
        minimum_reuse 0.006
        brightness 1.0
        normal off
        media off
    }
}

#default { finish { ambient 0 emission 0 diffuse 0.85 } }

#declare SunAzimuth = 11.2;  // degrees right of +z
#declare SunHeight = 6.4;    // degrees over the horizon
#declare SunDirection = vrotate(z, <-SunHeight, SunAzimuth, 0>);

camera {
    perspective
    right x * image_width / image_height
    up y
    direction z
    angle 64
    rotate <Pitch, Yaw, Roll>
    rotate <6.5, 1, 0>
    translate <-0.25 + ShiftX, 1.34 + ShiftY, 0.25 + ShiftZ>
}

// ------------------------------------------------------------------ sky and sun
light_source { SunDirection * 4000 color rgb <1, 0.72, 0.42> * 16 parallel point_at 0 }

// Sky: a gradient from the horizon, a glow round the sun, a few lit clouds. Values are scene radiance.
#declare SunX = SunDirection.x;
#declare SunY = SunDirection.y;
#declare SunZ = SunDirection.z;
// Angle to the sun in radians; arguments named like the built-in coordinates.
#declare SkyGlow = function(x, y, z) {
    acos(min(1, max(-1, (x * SunX + y * SunY + z * SunZ) / max(1e-6, sqrt(x*x + y*y + z*z)))))
}
#declare GlowPigment = pigment {
    function { min(1, SkyGlow(x, y, z) / 1.6) }
    color_map {
        [0.000 rgb <60, 46, 27>]
        [0.010 rgb <34, 25, 13.5>]
        [0.030 rgb <16, 11, 5.6>]
        [0.080 rgb <7.2, 4.6, 2.4>]
        [0.200 rgb <3.3, 2.25, 1.45>]
        [0.450 rgb <1.25, 1.15, 1.20>]
        [1.000 rgb <0.55, 0.72, 1.05>]
    }
}
#declare CloudPigment = pigment {
    bozo turbulence 0.65 octaves 6 omega 0.55 lambda 2.1
    color_map {
        [0.00 rgb <1.30, 1.12, 1.02>]
        [0.40 rgb <0.85, 0.85, 0.90>]
        [0.55 rgb <0.62, 0.58, 0.62>]
        [0.75 rgb <1.50, 1.08, 0.80>]
        [1.00 rgb <1.05, 1.00, 1.05>]
    }
    scale <0.9, 0.13, 0.6>
}
sphere {
    0, 1
    pigment { average pigment_map { [1.0 GlowPigment] [0.55 CloudPigment scale 1] } }
    finish { emission 1 diffuse 0 }
    hollow no_shadow
    scale 5000
}
// The disc itself: eleven stops over the sky beside it.
sphere { 0, 38 translate SunDirection * 4500 pigment { rgb <1, 0.82, 0.55> } finish { emission 5200 diffuse 0 } no_shadow no_radiosity }

// ------------------------------------------------------------------ yard
#declare Grass = texture {
    pigment {
        bozo turbulence 0.8 scale 0.6
        color_map { [0 rgb <0.10, 0.15, 0.035>] [0.45 rgb <0.17, 0.21, 0.055>] [0.75 rgb <0.27, 0.26, 0.10>] [1 rgb <0.34, 0.28, 0.14>] }
    }
    normal { granite 0.9 scale 0.15 }
}
#declare Earth = texture {
    pigment { granite turbulence 0.3 scale 0.9 color_map { [0 rgb <0.20, 0.15, 0.10>] [1 rgb <0.42, 0.33, 0.23>] } }
    normal { granite 0.5 scale 0.25 }
}
plane {
    y, -0.06
    texture {
        bozo turbulence 0.6 scale <2.5, 1, 5>
        texture_map { [0.35 Earth] [0.62 Grass] }
    }
}
// Rolling field and a far wood line against the sky.
#declare FarHills = union {
    sphere { 0, 1 scale <260, 9, 90> translate <-160, -3, 420> }
    sphere { 0, 1 scale <200, 6, 60> translate <130, -2, 330> }
    texture { Grass scale 8 }
}
FarHills
#declare R = seed(41);
#declare I = 0;
#while (I < 90)
    #local TX = -120 + 260 * rand(R);
    #local TZ = 150 + 90 * rand(R);
    #local TH = 3 + 5 * rand(R);
    blob {
        threshold 0.5
        #local J = 0;
        #while (J < 7)
            sphere { <(rand(R) - 0.5) * TH * 0.8, TH * (0.35 + 0.6 * rand(R)), (rand(R) - 0.5) * TH * 0.6>, TH * (0.32 + 0.2 * rand(R)), 1 }
            #local J = J + 1;
        #end
        translate <TX, -0.5, TZ>
        pigment { bozo scale 0.7 color_map { [0 rgb <0.03, 0.05, 0.018>] [1 rgb <0.09, 0.12, 0.045>] } }
        normal { granite 1.5 scale 1.5 }
    }
    #declare I = I + 1;
#end
// Fence.
#declare FenceWood = texture {
    pigment { wood turbulence 0.12 scale <0.03, 0.03, 1> rotate 88 * y color_map { [0 rgb <0.30, 0.23, 0.17>] [1 rgb <0.15, 0.11, 0.08>] } }
    normal { granite 0.4 scale <0.3, 0.03, 0.03> }
}
#declare R = seed(7);
#declare I = -9;
#while (I < 12)
    box { <-0.05, -0.1, -0.05>, <0.05, 1.05 + 0.1 * rand(R), 0.05> rotate <2 * rand(R), 9 * rand(R), 3 * rand(R) - 1.5> translate <I * 1.5, 0, 13.5 + 0.12 * I> texture { FenceWood translate rand(R) * 9 } }
    #declare I = I + 1;
#end
box { <-14, 0.42, -0.02>, <18, 0.54, 0.02> rotate <0, -4.6, 0.2> translate 13.4 * z texture { FenceWood } }
box { <-14, 0.78, -0.02>, <18, 0.90, 0.02> rotate <0, -4.6, -0.1> translate 13.4 * z texture { FenceWood translate 3 } }
// Tufts of grass near the door.
#declare R = seed(99);
#declare I = 0;
#while (I < 900)
    #local GX = -3 + 8 * rand(R);
    #local GZ = 5.4 + 7 * rand(R) * rand(R) + 0.2;
    #local GH = 0.05 + 0.22 * rand(R) * rand(R);
    cone { 0, 0.006, <GH * (rand(R) - 0.5), GH, GH * (rand(R) - 0.5)>, 0.001 translate <GX, -0.06, GZ> pigment { rgb <0.14 + 0.2 * rand(R), 0.22 + 0.08 * rand(R), 0.06> } }
    #declare I = I + 1;
#end

// ------------------------------------------------------------------ the barn
#macro Wood(Rnd, Tone)
    texture {
        pigment {
            wood turbulence <0.06, 0.06, 0.35> octaves 5 scale <0.022, 0.022, 0.9> rotate <3 * rand(Rnd), 4 * rand(Rnd) - 2, 0>
            translate <rand(Rnd), rand(Rnd), rand(Rnd)> * 20
            rotate 90 * x
            color_map {
                [0.0 rgb <0.36, 0.25, 0.16> * Tone]
                [0.5 rgb <0.27, 0.18, 0.11> * Tone]
                [0.8 rgb <0.18, 0.115, 0.07> * Tone]
                [1.0 rgb <0.11, 0.07, 0.045> * Tone]
            }
        }
        normal { granite 0.35 scale <0.05, 0.9, 0.05> translate rand(Rnd) * 10 }
        finish { diffuse 0.8 specular 0.06 roughness 0.09 }
    }
    // Weathering: dark streaks and dust.
    texture {
        pigment {
            granite scale <0.18, 0.9, 0.18> translate rand(Rnd) * 30
            color_map { [0.0 rgbt <0.05, 0.04, 0.03, 0.35>] [0.35 rgbt <0.10, 0.07, 0.05, 0.75>] [0.7 rgbt <0.3, 0.25, 0.2, 0.96>] [1.0 rgbt <0.5, 0.45, 0.4, 0.85>] }
        }
        finish { diffuse 0.7 }
    }
#end

#declare DoorLeft = 0.12;
#declare DoorRight = 1.32;
#declare DoorTop = 2.02;
// Back wall at z = 5: upright boards with gaps, a doorway, a row of knot holes.
#declare R = seed(5);
#declare X = -2.6;
#while (X < 2.6)
    #local W = 0.13 + 0.07 * rand(R);
    #local Gap = 0.004 + 0.013 * rand(R) * rand(R);
    #local Low = -0.05;
    #if (X + W > DoorLeft & X < DoorRight) #local Low = DoorTop + 0.02 * rand(R); #end
    #local Board = box { <0, Low, 0>, <W - Gap, 3.3, 0.024> }
    #if (Low < 1 & rand(R) < 0.4)
        difference {
            object { Board }
            cylinder { <W * 0.5, 0.5 + 1.7 * rand(R), -1>, <W * 0.5, 0.5 + 1.7 * rand(R), 1>, 0.010 + 0.008 * rand(R) }
            Wood(R, 0.8 + 0.4 * rand(R))
            rotate <0, 0, 0.3 * rand(R) - 0.15> translate <X, 0, 5 + 0.006 * rand(R)>
        }
    #else
        object { Board Wood(R, 0.8 + 0.4 * rand(R)) rotate <0, 0, 0.3 * rand(R) - 0.15> translate <X, 0, 5 + 0.006 * rand(R)> }
    #end
    #declare X = X + W;
#end
// Side walls, wall behind the camera, roof boards.
#macro SideWall(Side, Seed)
    #local RS = seed(Seed);
    #local Z = -0.6;
    #while (Z < 5.0)
        #local W = 0.14 + 0.07 * rand(RS);
        #local Gap = 0.003 + 0.008 * rand(RS) * rand(RS);
        box { <0, -0.05, 0>, <0.024, 3.0, W - Gap> Wood(RS, 0.75 + 0.45 * rand(RS)) translate <Side * 2.6, 0, Z> }
        #local Z = Z + W;
    #end
#end
SideWall(-1, 12)
SideWall(1, 13)
box { <-2.6, -0.05, -0.65>, <2.6, 3.2, -0.6> Wood(R, 0.8) }
#declare RR = seed(77);
#declare Z = -0.7;
#while (Z < 5.3)
    #local W = 0.18 + 0.06 * rand(RR);
    box { <-2.75, 0, 0>, <0, 0.025, W - 0.004> Wood(RR, 0.6 + 0.3 * rand(RR)) rotate 14 * z translate <0, 3.05, Z> }
    box { <0, 0, 0>, <2.75, 0.025, W - 0.004> Wood(RR, 0.6 + 0.3 * rand(RR)) rotate -14 * z translate <0, 3.05, Z> }
    #declare Z = Z + W;
#end
// Beams, door frame, posts.
#declare RB = seed(3);
#macro Beam(A, B, T) box { A, B Wood(RB, T) } #end
Beam(<-2.6, 2.30, 4.84>, <2.6, 2.44, 4.99>, 0.75)
Beam(<-2.6, 2.28, 2.40>, <2.6, 2.42, 2.54>, 0.6)
Beam(<DoorLeft - 0.11, -0.05, 4.90>, <DoorLeft, DoorTop + 0.12, 5.05>, 0.95)
Beam(<DoorRight, -0.05, 4.90>, <DoorRight + 0.11, DoorTop + 0.12, 5.05>, 0.95)
Beam(<DoorLeft - 0.11, DoorTop, 4.90>, <DoorRight + 0.11, DoorTop + 0.12, 5.04>, 0.9)
Beam(<-2.58, -0.05, 4.86>, <-2.44, 2.9, 4.99>, 0.7)
Beam(<2.44, -0.05, 4.86>, <2.58, 2.9, 4.99>, 0.7)
Beam(<-2.58, -0.05, 2.40>, <-2.46, 2.6, 2.54>, 0.7)
Beam(<2.46, -0.05, 2.40>, <2.58, 2.6, 2.54>, 0.7)
// The open door, swung outwards.
box { <0, 0.02, 0>, <1.15, 1.98, 0.03> Wood(RB, 1.1) rotate -16 * y translate <DoorRight + 0.06, 0, 5.06> }

// Floor: planks under scattered straw.
#declare RF = seed(21);
#declare X = -2.6;
#while (X < 2.6)
    #local W = 0.17 + 0.05 * rand(RF);
    box { <0, -0.05, -0.7>, <W - 0.005, 0.003 * rand(RF), 5.05>
        texture {
            pigment { wood turbulence 0.1 scale <0.03, 0.03, 1> rotate 2 * y translate rand(RF) * 20 color_map { [0 rgb <0.33, 0.25, 0.17>] [1 rgb <0.17, 0.12, 0.08>] } }
            normal { granite 0.3 scale <0.05, 0.05, 0.6> }
            finish { diffuse 0.8 specular 0.12 roughness 0.06 }
        }
        translate X * x
    }
    #declare X = X + W;
#end
#declare StrawCount = #if (Quick) 2500; #else 9000; #end
#declare RS = seed(1234);
#declare Straw = union {
    #local I = 0;
    #while (I < StrawCount)
        // Denser along the walls and in the left corner.
        #local SX = -2.5 + 5 * rand(RS);
        #local SZ = 0.4 + 4.5 * rand(RS);
        #local Pile = 0.02 + 0.22 * max(0, 1 - sqrt((SX + 2.0) * (SX + 2.0) + (SZ - 3.9) * (SZ - 3.9)) / 1.1) + 0.05 * pow(abs(SX) / 2.5, 6);
        #if (rand(RS) < 0.35 + 3 * Pile)
            #local L = 0.05 + 0.11 * rand(RS);
            cylinder {
                <-L, 0, 0>, <L, 0, 0>, 0.0014 + 0.0012 * rand(RS)
                rotate <0, 360 * rand(RS), (rand(RS) - 0.5) * 16>
                translate <SX, 0.006 + Pile * rand(RS), SZ>
                pigment { rgb <0.62, 0.47, 0.22> * (0.45 + 0.7 * rand(RS)) }
            }
        #end
        #local I = I + 1;
    #end
}
object { Straw }

// ------------------------------------------------------------------ things inside
// Perches on the left.
#declare PerchWood = texture { pigment { granite scale <0.5, 0.05, 0.05> color_map { [0 rgb <0.2, 0.14, 0.09>] [1 rgb <0.4, 0.3, 0.2>] } } normal { granite 0.3 scale <0.2, 0.03, 0.03> } }
cylinder { <-2.6, 0.75, 3.1>, <-0.9, 0.75, 3.15>, 0.024 texture { PerchWood } }
cylinder { <-2.6, 1.10, 3.6>, <-0.9, 1.10, 3.65>, 0.024 texture { PerchWood translate 3 } }
cylinder { <-0.92, -0.05, 3.1>, <-0.92, 1.2, 3.7>, 0.026 texture { PerchWood rotate 90 * z } }

// Egg: a surface of revolution, 58 mm high.
#declare Egg = intersection {
    blob { threshold 0.6 sphere { <0, -0.004, 0>, 0.042, 1 } sphere { <0, 0.014, 0>, 0.033, 0.7 } }
    box { -1, 1 }
}
#macro EggAt(P, RotX, RotY, Tint)
    object { Egg scale 1.25 rotate <RotX, RotY, 0> translate P
        texture { pigment { bozo scale 0.004 color_map { [0 rgb Tint] [1 rgb Tint * 0.93] } } finish { diffuse 0.8 specular 0.15 roughness 0.05 } } }
#end
// Basket: woven rings and staves.
#declare Wicker = texture { pigment { granite scale 0.05 color_map { [0 rgb <0.30, 0.19, 0.09>] [1 rgb <0.55, 0.38, 0.20>] } } normal { granite 0.3 scale 0.02 } finish { specular 0.1 roughness 0.05 } }
#declare Basket = union {
    #local I = 0;
    #while (I < 11)
        torus { 0.15 + 0.0045 * I, 0.0085 translate <0, 0.01 + 0.0135 * I, 0> texture { Wicker translate I } }
        #local I = I + 1;
    #end
    torus { 0.205, 0.013 translate 0.16 * y texture { Wicker } }
    #local I = 0;
    #while (I < 26)
        cylinder { <0.150, 0, 0>, <0.205, 0.16, 0>, 0.007 rotate I * 360 / 26 * y texture { Wicker translate I * 3 } }
        #local I = I + 1;
    #end
    disc { 0, y, 0.15 texture { Wicker } }
    difference { torus { 0.2, 0.011 rotate 90 * x } plane { y, 0 } scale <1, 1.15, 1> rotate 40 * y translate 0.155 * y texture { Wicker } }
    EggAt(<0.05, 0.135, -0.06>, 80, 20, <0.72, 0.52, 0.38>)
    EggAt(<-0.06, 0.135, -0.05>, 75, 120, <0.80, 0.74, 0.66>)
    EggAt(<0.00, 0.140, 0.06>, 85, 60, <0.66, 0.44, 0.30>)
    EggAt(<0.11, 0.130, 0.04>, 70, 200, <0.78, 0.66, 0.54>)
    EggAt(<-0.11, 0.132, 0.04>, 82, 300, <0.74, 0.56, 0.42>)
    EggAt(<0.00, 0.165, -0.005>, 88, 250, <0.82, 0.76, 0.70>)
    EggAt(<-0.02, 0.132, -0.12>, 78, 10, <0.70, 0.50, 0.36>)
    EggAt(<0.09, 0.132, -0.11>, 60, 80, <0.80, 0.72, 0.62>)
}
// On an upturned crate, right of the door.
#declare RC = seed(61);
union {
    #local I = 0;
    #while (I < 4)
        box { <-0.28, 0.01 + 0.095 * I, -0.20>, <0.28, 0.095 + 0.095 * I, -0.186> Wood(RC, 1.3) }
        box { <-0.28, 0.01 + 0.095 * I, -0.20>, <-0.266, 0.095 + 0.095 * I, 0.2> Wood(RC, 1.3) }
        #local I = I + 1;
    #end
    box { <-0.29, 0.385, -0.21>, <0.29, 0.402, 0.21> Wood(RC, 1.4) }
    rotate -18 * y translate <1.45, 0, 3.05>
}
object { Basket translate <1.45, 0.402, 3.05> }

// Water tin with a dent of light on its rim.
#declare Tin = texture { pigment { rgb <0.55, 0.56, 0.57> } normal { bumps 0.06 scale <0.02, 0.1, 0.02> } finish { diffuse 0.35 specular 0.5 roughness 0.02 reflection { 0.22 metallic } } }
union {
    difference { cylinder { 0, 0.14 * y, 0.19 } cylinder { 0.01 * y, 0.2 * y, 0.184 } }
    torus { 0.187, 0.006 translate 0.14 * y }
    texture { Tin }
    translate <-0.45, 0, 3.35>
}
disc { <-0.45, 0.105, 3.35>, y, 0.184 pigment { rgb <0.02, 0.025, 0.025> } finish { diffuse 0.3 reflection 0.35 specular 0.4 } normal { ripples 0.03 scale 0.05 } }

// Lantern on a hook from the middle beam; its flame is a small emitter with a lamp inside.
#declare LanternAt = <-1.05, 1.72, 2.47>;
#declare Iron = texture { pigment { rgb <0.06, 0.055, 0.05> } finish { specular 0.35 roughness 0.03 diffuse 0.6 } normal { granite 0.1 scale 0.02 } }
union {
    cylinder { <0, -0.02, 0>, <0, 0.03, 0>, 0.075 }
    cone { <0, 0.21, 0>, 0.075, <0, 0.27, 0>, 0.03 }
    torus { 0.05, 0.004 rotate 90 * x translate 0.31 * y }
    cylinder { <0, 0.36, 0>, <0, 0.60, 0>, 0.003 }
    #local I = 0;
    #while (I < 4)
        cylinder { <0.068, 0.02, 0>, <0.068, 0.22, 0>, 0.004 rotate (45 + 90 * I) * y }
        #local I = I + 1;
    #end
    texture { Iron }
    translate LanternAt
}
difference {
    cylinder { 0.03 * y, 0.21 * y, 0.058 }
    cylinder { 0.02 * y, 0.22 * y, 0.0565 }
    pigment { rgbt <0.95, 0.93, 0.9, 0.93> } finish { diffuse 0.05 specular 0.6 roughness 0.01 reflection 0.05 }
    no_shadow
    translate LanternAt
}
blob {
    threshold 0.4
    sphere { <0, 0.075, 0>, 0.016, 1 } sphere { <0.001 * HenState, 0.095, 0>, 0.012, 1 } sphere { <0.002 * HenState, 0.112, 0>, 0.008, 1 }
    pigment { rgb <1, 0.62, 0.22> } finish { emission 26 diffuse 0 } no_shadow no_radiosity
    translate LanternAt
}
light_source { LanternAt + 0.1 * y color rgb <1, 0.58, 0.24> * 0.6 fade_distance 0.28 fade_power 2 area_light 0.02 * x, 0.04 * y, 2, 2 adaptive 1 jitter }

// ------------------------------------------------------------------ hens
#macro Feathers(Dark, Light)
    texture {
        pigment {
            crackle turbulence 0.15 scale <0.028, 0.018, 0.018>
            color_map { [0 rgb Dark] [0.25 rgb (Dark + Light) / 2] [0.7 rgb Light] [1 rgb Light * 1.12] }
        }
        normal { crackle 0.8 scale <0.028, 0.016, 0.016> turbulence 0.1 }
        finish { diffuse 0.8 specular 0.05 roughness 0.08 }
    }
#end
// A hen of 0.42 m: looks along +x, feet at the origin. Peck: 0 upright .. 1 head at the ground.
#macro Hen(Dark, Light, Peck)
    #local HeadX = 0.17 + 0.05 * Peck;
    #local HeadY = 0.42 - 0.33 * Peck;
    union {
        blob {
            threshold 0.45
            sphere { <0, 0.22, 0>, 0.21, 1 scale <1.15, 1, 0.85> }
            sphere { <0.08, 0.23, 0>, 0.15, 0.9 }
            sphere { <-0.13, 0.27, 0>, 0.13, 0.8 }
            sphere { <-0.20, 0.34, 0>, 0.10, 0.8 }
            cylinder { <0.08, 0.25, 0>, <HeadX - 0.01, HeadY - 0.02, 0>, 0.085, 0.85 }
            sphere { <HeadX, HeadY, 0>, 0.068, 1 }
            sphere { <-0.02, 0.22, 0.075>, 0.11, 0.5 scale <1.2, 0.9, 1> }
            sphere { <-0.02, 0.22, -0.075>, 0.11, 0.5 scale <1.2, 0.9, 1> }
            Feathers(Dark, Light)
        }
        // Tail feathers.
        #local K = 0;
        #while (K < 5)
            sphere { 0, 1 scale <0.10, 0.022, 0.008> rotate <0, (K - 2) * 9, -(48 + 7 * K)> translate <-0.21, 0.36, (K - 2) * 0.012> Feathers(Dark * 0.6, Dark) }
            #local K = K + 1;
        #end
        cone { <HeadX + 0.03, HeadY, 0>, 0.012, <HeadX + 0.072, HeadY - 0.012 - 0.02 * Peck, 0>, 0.002 pigment { rgb <0.6, 0.42, 0.12> } }
        // Comb and wattle.
        blob { threshold 0.5 #local K = 0; #while (K < 4) sphere { <HeadX - 0.02 + 0.016 * K, HeadY + 0.043 - 0.003 * K, 0>, 0.017, 1.2 } #local K = K + 1; #end
            sphere { <HeadX + 0.03, HeadY - 0.035, 0>, 0.018, 1.2 }
            pigment { rgb <0.55, 0.04, 0.03> } finish { specular 0.2 roughness 0.05 } }
        sphere { <HeadX + 0.016, HeadY + 0.008, -0.031>, 0.006 pigment { rgb 0.015 } finish { specular 0.9 roughness 0.005 } }
        sphere { <HeadX + 0.016, HeadY + 0.008, 0.031>, 0.006 pigment { rgb 0.015 } finish { specular 0.9 roughness 0.005 } }
        #local K = -1;
        #while (K < 2)
            cylinder { <0.01, 0.12, 0.035 * K>, <0.015, 0.012, 0.04 * K>, 0.008 pigment { rgb <0.55, 0.4, 0.15> } }
            #local T = -1;
            #while (T < 2)
                cylinder { <0.015, 0.008, 0.04 * K>, <0.07, 0.004, 0.04 * K + 0.022 * T>, 0.005 pigment { rgb <0.55, 0.4, 0.15> } }
                #local T = T + 1;
            #end
            #local K = K + 2;
        #end
    }
#end
// Three hens walk and peck; where they stand depends on the exposure.
#declare S = HenState;
object { Hen(<0.16, 0.07, 0.03>, <0.50, 0.24, 0.10>, mod(S, 2) * 0.9) scale 1.05 rotate (150 + 14 * S) * y translate <-1.15 + 0.19 * S, 0, 3.0 + 0.05 * S> }
object { Hen(<0.35, 0.32, 0.28>, <0.78, 0.74, 0.68>, 0.15 + 0.12 * S) rotate (12 - 24 * S) * y translate <0.72 - 0.10 * S, 0, 4.05 - 0.06 * S> }
object { Hen(<0.05, 0.05, 0.05>, <0.14, 0.13, 0.13>, 0) scale 0.95 rotate (-20 + 3 * S) * y translate <-1.72, 0.775, 3.12> }

// The boathouse: an invented shed on an invented shore. Metres, right-handed, Y up.
// The camera vectors are written out in full, so POV-Ray's own handedness never enters.
// Switches (Declare=...): Frame, Rig (1: lamp stand and cable), Part:
//   0 beauty, 1 markers only, 2 CG beauty, 3 CG shadow on the slip, 4 CG depth, 5 far backdrop,
//   6 and 7 bake the wall's and the slip's colour into wall.png and slip.png, which part 0 reads:
//   a baked texture is band-limited, so the same plank looks the same from every frame.
#version 3.7;
#ifndef (Frame) #declare Frame = 1001; #end
#ifndef (Rig) #declare Rig = 1; #end
#ifndef (Part) #declare Part = 0; #end
#include "cameras.inc"
global_settings { assumed_gamma 1.0 max_trace_level 6 }

#declare WallMin = <-3.4, -0.1>; #declare WallSize = <6.9, 3.3>;
#declare SlipMin = <-5.8, -1.2>; #declare SlipSize = <11.6, 7.8>;
#if (Part = 6)
camera { orthographic location <WallMin.x+WallSize.x/2, WallMin.y+WallSize.y/2, 5> direction <0, 0, -1> right <WallSize.x, 0, 0> up <0, WallSize.y, 0> }
#elseif (Part = 7)
camera { orthographic location <SlipMin.x+SlipSize.x/2, 5, SlipMin.y+SlipSize.y/2> direction <0, -1, 0> right <SlipSize.x, 0, 0> up <0, 0, SlipSize.y> }
#elseif (Part = 5)
camera { location <0, 6, 0> direction <0, 0, -1> right <2.2, 0, 0> up <0, 0.55, 0> }
#else
camera { location CamPos[Frame-1001] direction CamDir[Frame-1001] right CamRight[Frame-1001] up CamUp[Frame-1001] }
#end

#declare SunDir = vnormalize(<-0.80, 0.66, 0.34>);
#declare Soft = 0; #if (Part = 3) #declare Soft = 1; #end

#macro Light()
light_source { SunDir*400, rgb <1.62, 1.50, 1.30>*1.25 area_light vcross(SunDir, y)*4.5, vcross(vcross(SunDir, y), SunDir)*4.5, 3, 3 adaptive 1 circular orient }
light_source { <200, 420, 160>, rgb <0.34, 0.40, 0.48>*0.62 shadowless parallel point_at 0 }
light_source { <-250, 300, -60>, rgb <0.30, 0.36, 0.45>*0.40 shadowless parallel point_at 0 }
light_source { <60, 120, 420>, rgb <0.36, 0.38, 0.40>*0.52 shadowless parallel point_at 0 }
light_source { <0, -300, 200>, rgb <0.20, 0.18, 0.15>*0.30 shadowless parallel point_at 0 }
#end

// ------------------------------------------------------------------ materials
#if (Part >= 6) #declare Flat = finish { ambient 0 diffuse 0 emission 1 } #else #declare Flat = finish { ambient rgb <0.05, 0.06, 0.075> diffuse 0.72 } #end

#declare PlankTone = pigment { cells scale <3.1, 0.19, 9> translate <0.7, 0, -4>
  color_map { [0 rgb <0.235, 0.170, 0.112>] [0.35 rgb <0.300, 0.225, 0.155>] [0.7 rgb <0.265, 0.200, 0.145>] [1 rgb <0.345, 0.268, 0.195>] } }
#declare PlankFibre = pigment { granite turbulence 0.1 scale <0.75, 0.022, 0.3>
  color_map { [0 rgb <0.05, 0.036, 0.026>] [0.28 rgb <0.22, 0.16, 0.11>] [0.55 rgb <0.31, 0.235, 0.165>] [1 rgb <0.62, 0.52, 0.40>] } }
#declare PlankWeather = pigment { bozo turbulence 0.7 octaves 5 scale <0.55, 0.34, 0.4>
  color_map { [0 rgb <0.37, 0.36, 0.34>] [0.4 rgb <0.29, 0.23, 0.17>] [0.75 rgb <0.20, 0.15, 0.105>] [1 rgb <0.42, 0.38, 0.32>] } }
#declare PlankSpeck = pigment { granite scale 0.11
  color_map { [0 rgb <0.03, 0.02, 0.015>] [0.35 rgb <0.25, 0.19, 0.14>] [0.7 rgb <0.32, 0.25, 0.18>] [1 rgb <0.70, 0.62, 0.52>] } }
#declare Planks =
  texture { pigment { average pigment_map { [1.1 PlankTone] [1.2 PlankFibre] [0.8 PlankWeather] [0.7 PlankSpeck] } }
    finish { Flat } }
  texture { pigment { gradient y scale 0.19 color_map { [0 rgb <0.015, 0.011, 0.008>] [0.045 rgb <0.02, 0.014, 0.01>] [0.055 rgbt <0.03, 0.02, 0.01, 0.45>] [0.12 rgbt <0, 0, 0, 1>] [0.97 rgbt <0, 0, 0, 1>] [1 rgbt <0.5, 0.42, 0.33, 0.7>] } } finish { Flat } }
  texture { pigment { bozo turbulence 0.9 octaves 6 scale <0.18, 1.5, 0.3> color_map { [0 rgbt <0.03, 0.025, 0.02, 0.25>] [0.22 rgbt <0.05, 0.04, 0.03, 0.75>] [0.34 rgbt <0, 0, 0, 1>] [1 rgbt <0, 0, 0, 1>] } } finish { Flat } }

#declare Concrete =
  texture { pigment { average pigment_map {
      [1.0 bozo turbulence 0.6 octaves 6 scale 0.85 color_map { [0 rgb 0.20] [0.5 rgb <0.30, 0.295, 0.28>] [1 rgb <0.40, 0.385, 0.355>] }]
      [1.2 granite scale 0.45 color_map { [0 rgb 0.06] [0.3 rgb 0.24] [0.6 rgb <0.33, 0.32, 0.30>] [1 rgb 0.72] }]
      [0.9 granite scale 0.16 color_map { [0 rgb 0.05] [0.35 rgb 0.25] [0.7 rgb 0.36] [1 rgb 0.78] }] } }
    finish { Flat } }
  texture { pigment { crackle turbulence 0.45 octaves 4 scale 1.7 color_map { [0 rgbt <0.04, 0.04, 0.035, 0.15>] [0.004 rgbt <0.08, 0.08, 0.07, 0.5>] [0.014 rgbt <0, 0, 0, 1>] [1 rgbt <0, 0, 0, 1>] } } finish { Flat } }
  texture { pigment { bozo turbulence 0.8 octaves 6 scale <1.3, 1, 0.8> translate 3 color_map { [0 rgbt <0.03, 0.03, 0.03, 0.30>] [0.24 rgbt <0.06, 0.06, 0.05, 0.65>] [0.33 rgbt <0, 0, 0, 1>] [0.82 rgbt <0, 0, 0, 1>] [1 rgbt <0.55, 0.53, 0.48, 0.55>] } } finish { Flat } }
  texture { pigment { gradient x scale 1.9 translate 0.55 color_map { [0 rgb 0.03] [0.0045 rgb 0.04] [0.009 rgbt <0.1, 0.1, 0.1, 0.6>] [0.015 rgbt <0, 0, 0, 1>] [1 rgbt <0, 0, 0, 1>] } } finish { Flat } }
  texture { pigment { gradient z scale 2.3 translate 0.85 color_map { [0 rgb 0.03] [0.004 rgb 0.04] [0.008 rgbt <0.1, 0.1, 0.1, 0.6>] [0.013 rgbt <0, 0, 0, 1>] [1 rgbt <0, 0, 0, 1>] } } finish { Flat } }

#declare GreyBoards = texture { pigment { average pigment_map {
    [1 granite scale <0.05, 0.05, 0.9> color_map { [0 rgb 0.08] [0.4 rgb <0.24, 0.22, 0.19>] [1 rgb <0.52, 0.49, 0.44>] }]
    [1 bozo turbulence 0.6 scale 0.2 color_map { [0 rgb <0.17, 0.15, 0.12>] [1 rgb <0.36, 0.34, 0.30>] }] } } normal { granite 0.15 scale 0.1 } finish { Flat } }
#declare CrateWood = texture { pigment { average pigment_map {
    [1.2 granite scale <0.7, 0.03, 0.7> color_map { [0 rgb <0.10, 0.06, 0.03>] [0.4 rgb <0.36, 0.25, 0.13>] [1 rgb <0.72, 0.58, 0.38>] }]
    [0.8 granite scale 0.12 color_map { [0 rgb <0.06, 0.04, 0.02>] [0.5 rgb <0.36, 0.26, 0.15>] [1 rgb <0.66, 0.52, 0.36>] }] } } finish { Flat } }
#declare BarrelWood = texture { pigment { average pigment_map {
    [1 granite scale <0.05, 0.7, 0.05> color_map { [0 rgb <0.06, 0.03, 0.018>] [0.5 rgb <0.24, 0.135, 0.07>] [1 rgb <0.48, 0.32, 0.19>] }]
    [0.6 granite scale 0.09 color_map { [0 rgb 0.03] [0.5 rgb <0.22, 0.13, 0.08>] [1 rgb <0.5, 0.36, 0.24>] }] } } finish { Flat } }
#declare Iron = texture { pigment { granite scale 0.15 color_map { [0 rgb <0.05, 0.045, 0.04>] [0.5 rgb <0.12, 0.10, 0.085>] [1 rgb <0.36, 0.20, 0.11>] } } finish { ambient 0.05 diffuse 0.6 } }
#declare Paint = texture { pigment { average pigment_map {
    [1.6 granite scale 0.25 color_map { [0 rgb <0.42, 0.42, 0.38>] [0.5 rgb <0.70, 0.69, 0.63>] [1 rgb <0.80, 0.79, 0.73>] }]
    [0.5 bozo turbulence 0.8 scale 0.12 color_map { [0 rgb <0.25, 0.22, 0.18>] [0.3 rgb <0.72, 0.71, 0.66>] [1 rgb <0.76, 0.75, 0.70>] }] } } finish { Flat } }
#declare DoorPaint = texture { pigment { average pigment_map {
    [1.2 granite scale <0.05, 0.6, 0.2> color_map { [0 rgb <0.02, 0.045, 0.05>] [0.5 rgb <0.065, 0.14, 0.145>] [1 rgb <0.21, 0.30, 0.29>] }]
    [0.9 granite scale 0.13 color_map { [0 rgb <0.02, 0.03, 0.03>] [0.4 rgb <0.06, 0.13, 0.135>] [0.8 rgb <0.10, 0.17, 0.17>] [1 rgb <0.50, 0.44, 0.36>] }] } } finish { Flat } }
  texture { pigment { gradient x scale 0.15 translate 1.42 color_map { [0 rgb 0.008] [0.05 rgb 0.01] [0.08 rgbt <0, 0, 0, 1>] [1 rgbt <0, 0, 0, 1>] } } finish { Flat } }
#declare Slate = texture { pigment { average pigment_map {
    [1 cells scale <0.34, 0.2, 0.27> color_map { [0 rgb <0.09, 0.10, 0.11>] [1 rgb <0.19, 0.195, 0.20>] }]
    [1 granite scale 0.2 color_map { [0 rgb 0.04] [0.5 rgb <0.13, 0.14, 0.145>] [1 rgb <0.34, 0.34, 0.31>] }] } } finish { Flat } }

#if (Part = 0)
#declare WallFile = "wall.png"
#ifdef (Fine) #declare WallFile = "wall_fine.png" #end
#declare WallSkin = texture { pigment { image_map { png WallFile gamma 1.0 interpolate 2 } scale <WallSize.x, WallSize.y, 1> translate <WallMin.x, WallMin.y, 0> } finish { Flat } }
#declare SlipSkin = texture { pigment { image_map { png "slip.png" gamma 1.0 interpolate 2 } scale <SlipSize.x, SlipSize.y, 1> translate <SlipMin.x, SlipMin.y, 0> matrix <1, 0, 0, 0, 0, 1, 0, 1, 0, 0, 0, 0> } finish { Flat } }
#else
#declare WallSkin = texture { Planks } #declare SlipSkin = texture { Concrete }
#end

// ------------------------------------------------------------------ the set
#macro Window(X, Y, W, H)
union {
  box { <X-0.07, Y-0.07, -0.02>, <X+W+0.07, Y, 0.035> texture { Paint } }
  box { <X-0.07, Y+H, -0.02>, <X+W+0.07, Y+H+0.08, 0.035> texture { Paint } }
  box { <X-0.07, Y, -0.02>, <X, Y+H, 0.035> texture { Paint } }
  box { <X+W, Y, -0.02>, <X+W+0.07, Y+H, 0.035> texture { Paint } }
  box { <X+W/2-0.02, Y, -0.03>, <X+W/2+0.02, Y+H, 0.015> texture { Paint } }
  box { <X, Y+H/2-0.02, -0.03>, <X+W, Y+H/2+0.02, 0.015> texture { Paint } }
  box { <X-0.11, Y-0.11, -0.02>, <X+W+0.11, Y-0.07, 0.10> texture { Paint } }
  box { <X, Y, -0.05>, <X+W, Y+H, -0.035> texture { pigment { bozo turbulence 0.5 scale 0.35 color_map { [0 rgb <0.02, 0.028, 0.033>] [0.6 rgb <0.05, 0.065, 0.07>] [1 rgb <0.15, 0.18, 0.19>] } } finish { ambient 0.1 diffuse 0.7 } } }
}
#end

#macro Crate(S)
union {
  box { <-S/2, 0.015, -S/2>, <S/2, S-0.015, S/2> texture { CrateWood } }
  #local K = 0;
  #while (K < 4)
    union {
      box { <-S/2-0.015, 0, S/2-0.01>, <S/2+0.015, 0.09, S/2+0.02> }
      box { <-S/2-0.015, S-0.09, S/2-0.01>, <S/2+0.015, S, S/2+0.02> }
      box { <-S/2-0.015, 0.09, S/2-0.01>, <-S/2+0.08, S-0.09, S/2+0.02> }
      box { <S/2-0.08, 0.09, S/2-0.01>, <S/2+0.015, S-0.09, S/2+0.02> }
      texture { CrateWood scale 0.8 translate K } rotate y*90*K }
    #local K = K + 1;
  #end
  box { <-S/2, S-0.02, -S/2>, <S/2, S, S/2> texture { CrateWood rotate y*90 } }
}
#end

#macro Barrel(H, R)
union {
  #local N = 10; #local K = 0;
  #while (K < N)
    #local A0 = K/N; #local A1 = (K+1)/N;
    cone { <0, A0*H, 0>, R*(0.86+0.14*sin(pi*A0)), <0, A1*H, 0>, R*(0.86+0.14*sin(pi*A1)) open texture { BarrelWood } }
    #local K = K + 1;
  #end
  disc { <0, H-0.03, 0>, y, R*0.86 texture { BarrelWood scale 0.7 } }
  #local K = 0;
  #while (K < 4)
    #local A0 = 0.06 + K*0.28; #local A1 = A0 + 0.05;
    cone { <0, A0*H, 0>, R*(0.875+0.14*sin(pi*A0)), <0, A1*H, 0>, R*(0.875+0.14*sin(pi*A1)) open texture { Iron } }
    #local K = K + 1;
  #end
}
#end

#macro Set()
union {
  // the wall, with its openings closed by the window and the door
  difference {
    box { <-3.3, 0, -0.3>, <3.4, 3.15, 0> }
    box { <-2.35, 1.05, -0.2>, <-1.15, 2.05, 0.1> }
    box { <1.35, -0.1, -0.2>, <2.25, 2.08, 0.1> }
    texture { WallSkin } }
  object { Window(-2.35, 1.05, 1.2, 1.0) }
  box { <1.35, 0, -0.1>, <2.25, 2.08, -0.06> texture { DoorPaint } }
  box { <1.27, 0, -0.03>, <1.35, 2.16, 0.035> texture { Paint } }
  box { <2.25, 0, -0.03>, <2.33, 2.16, 0.035> texture { Paint } }
  box { <1.35, 2.08, -0.03>, <2.25, 2.16, 0.035> texture { Paint } }
  cylinder { <1.44, 1.02, -0.06>, <1.44, 1.02, 0.0>, 0.02 texture { Iron } }
  // side walls, roof, fascia
  box { <-3.3, 0, -5>, <-3.1, 3.15, -0.3> texture { Planks rotate y*90 } }
  box { <3.2, 0, -5>, <3.4, 3.15, -0.3> texture { Planks rotate y*90 } }
  box { <-3.75, 3.10, 0.0>, <3.85, 3.34, 0.42> texture { Paint } }
  box { <-3.8, 3.33, 0.46>, <3.9, 3.38, -0.2> texture { Slate } }
  prism { linear_sweep linear_spline 0, 7.7, 4, <0.46, 3.36>, <-2.6, 4.75>, <-5.6, 3.36>, <0.46, 3.36>
    matrix <0, 0, 1, 1, 0, 0, 0, 1, 0, 0, 0, 0> translate x*-3.8 texture { Slate } }
  cylinder { <-3.05, 0, 0.10>, <-3.05, 3.2, 0.10>, 0.045 texture { Iron } }
  // slip and shore
  box { <-7, -1, -1.2>, <7, 0, 14> texture { SlipSkin } }
  box { <-7.01, -2, -1.3>, <7.01, -0.2, 14.1> texture { GreyBoards } }
  plane { y, -0.55 texture { pigment { bozo turbulence 0.5 scale <3.5, 1, 1.1> color_map { [0 rgb <0.10, 0.15, 0.17>] [0.5 rgb <0.15, 0.20, 0.22>] [1 rgb <0.28, 0.33, 0.34>] } }
      normal { bumps 0.5 scale <0.6, 0.4, 0.25> } finish { ambient 0.1 diffuse 0.75 } } }
  // jetty with its rail, going out on the left
  #local K = 0;
  #while (K < 38)
    box { <-6.9, 0.04, -1.4-K*0.27>, <-4.5, 0.10, -1.16-K*0.27> texture { GreyBoards rotate y*90 translate K } }
    #local K = K + 1;
  #end
  #local K = 0;
  #while (K < 7)
    box { <-4.62, -1.2, 1.75-K*1.55>, <-4.50, 1.18, 1.87-K*1.55> texture { GreyBoards rotate x*90 translate K*1.7 } }
    #local K = K + 1;
  #end
  box { <-4.60, 1.02, -8.6>, <-4.52, 1.12, 1.9> texture { GreyBoards } }
  box { <-4.59, 0.52, -8.6>, <-4.53, 0.60, 1.9> texture { GreyBoards translate 3 } }
  // things standing about, at several depths
  object { Crate(0.72) rotate y*24 translate <-2.55, 0, 1.05> }
  object { Crate(0.50) rotate y*-13 translate <-2.45, 0.72, 1.0> }
  object { Crate(0.58) rotate y*40 translate <-1.62, 0, 1.62> }
  object { Barrel(0.92, 0.34) translate <3.02, 0, 0.36> }
  object { Barrel(0.92, 0.34) rotate y*50 translate <3.25, 0, 1.75> }
  object { Barrel(0.86, 0.32) rotate y*120 translate <2.45, 0, 3.55> }
  object { Crate(0.46) rotate y*62 translate <-1.95, 0, 4.35> }
  // the far shore
  #local S = seed(41); #local K = 0;
  #while (K < 60)
    #local X = -260 + 520*rand(S); #local D = 170 + 120*rand(S); #local H = 5 + 15*rand(S)*rand(S) + 8*(X < -60)*rand(S);
    sphere { 0, 1 scale <26+30*rand(S), H, 12> translate <X, -0.6, -D>
      texture { pigment { average pigment_map { [1 granite scale <0.5, 0.8, 0.5> color_map { [0 rgb <0.035, 0.055, 0.04>] [0.5 rgb <0.10, 0.135, 0.10>] [1 rgb <0.24, 0.27, 0.20>] }] [0.8 color rgb <0.20, 0.24, 0.265>] } } finish { Flat } } }
    #local K = K + 1;
  #end
}
sky_sphere { pigment { gradient y color_map { [0 rgb <0.66, 0.70, 0.72>] [0.12 rgb <0.52, 0.60, 0.68>] [0.5 rgb <0.27, 0.38, 0.55>] } }
  pigment { bozo turbulence 0.75 octaves 7 lambda 2.3 omega 0.55 scale <0.5, 0.16, 0.5> color_map { [0.36 rgbt <1, 1, 1, 1>] [0.6 rgbt <0.80, 0.82, 0.83, 0.35>] [1 rgbt <0.92, 0.92, 0.91, 0.1>] } } }
#end

// ------------------------------------------------------------------ the rig: lamp stand, cable
#macro LampStand()
union {
  #local P = <0.22, 0, 2.0>;
  cylinder { P + <0, 0.32, 0>, P + <0, 1.30, 0>, 0.022 }
  cylinder { P + <0, 1.30, 0>, P + <0, 2.02, 0>, 0.016 }
  cylinder { P + <0, 1.26, 0>, P + <0, 1.34, 0>, 0.034 }
  cylinder { P + <0, 0.70, 0>, P + <0, 0.78, 0>, 0.036 }
  #local K = 0;
  #while (K < 3)
    #local Q = vrotate(<0.46, 0, 0>, y*(25+K*120));
    cylinder { P + <0, 0.74, 0> + 0.06*Q, P + Q + <0, 0.012, 0>, 0.013 }
    cylinder { P + <0, 0.33, 0>, P + 0.55*Q + <0, 0.34, 0>, 0.009 }
    sphere { P + Q + <0, 0.02, 0>, 0.022 }
    #local K = K + 1;
  #end
  union {
    cylinder { <0, 0, -0.14>, <0, 0, 0.13>, 0.115 }
    cylinder { <0, 0, 0.13>, <0, 0, 0.145>, 0.125 }
    box { <-0.12, 0.11, 0.13>, <0.12, 0.125, 0.27> rotate x*-18 }
    box { <-0.12, -0.125, 0.13>, <0.12, -0.11, 0.27> rotate x*18 }
    torus { 0.14, 0.012 rotate z*90 }
    rotate x*12 rotate y*-152 translate P + <0, 2.15, 0> }
  sphere_sweep { b_spline 11,
    P + <0.1, 0.6, 0.1>, 0.010  P + <0.03, 0.50, 0.02>, 0.010  P + <-0.02, 0.30, 0.06>, 0.010  P + <-0.10, 0.012, 0.14>, 0.010  P + <-0.30, 0.012, 0.36>, 0.010
    P + <-0.55, 0.012, 0.10>, 0.010  P + <-0.82, 0.012, 0.34>, 0.010  P + <-1.08, 0.012, 0.08>, 0.010  P + <-1.32, 0.012, 0.22>, 0.010  P + <-1.5, 0.012, 0.2>, 0.010  P + <-1.7, 0.012, 0.2>, 0.010 }
  box { P + <-1.55, 0, 0.12>, P + <-1.40, 0.07, 0.26> }
  texture { pigment { granite scale 0.2 color_map { [0 rgb 0.025] [1 rgb 0.075] } } finish { ambient 0.04 diffuse 0.6 specular 0.15 roughness 0.05 } }
}
#end

// ------------------------------------------------------------------ the CG object: a striped mooring buoy
#declare BuoyPos = <-0.62, 0, 3.45>;
#macro Buoy(Tex)
union {
  sphere { <0, 0.30, 0>, 0.30 }
  cone { <0, 0.52, 0>, 0.16, <0, 0.86, 0>, 0.05 }
  torus { 0.075, 0.018 rotate x*90 translate <0, 0.93, 0> }
  torus { 0.30, 0.022 translate <0, 0.30, 0> }
  translate BuoyPos
  #if (Tex) texture { pigment { gradient y scale 0.24 translate 0.07 color_map { [0 rgb <0.62, 0.10, 0.05>] [0.5 rgb <0.62, 0.10, 0.05>] [0.5 rgb <0.72, 0.70, 0.64>] [1 rgb <0.72, 0.70, 0.64>] } } normal { granite 0.12 scale 0.1 } finish { ambient rgb <0.05, 0.06, 0.075> diffuse 0.75 specular 0.3 roughness 0.04 } }
    texture { pigment { granite scale 0.35 color_map { [0 rgbt <0.06, 0.05, 0.04, 0.3>] [0.3 rgbt <0, 0, 0, 1>] [1 rgbt <0, 0, 0, 1>] } } finish { Flat } } #end
}
#end

#if (Part = 0)
  Light() Set()
  #if (Rig) LampStand() #end
#end
#if (Part = 1)
  #include "markers.inc"
#end
#if (Part = 2)
  Light() object { Buoy(1) }
#end
#if (Part = 3)
  light_source { SunDir*400, rgb 1 area_light vcross(SunDir, y)*4.5, vcross(vcross(SunDir, y), SunDir)*4.5, 5, 5 adaptive 2 circular orient }
  plane { y, 0 pigment { rgb 1 } finish { ambient 0 diffuse 1/vdot(SunDir, y) } }
  object { Buoy(0) no_image pigment { rgb 1 } }
#end
#if (Part = 4)
  #declare ViewZ = vnormalize(CamAxis[Frame-1001]);
  #declare C0 = CamPos[Frame-1001];
  #declare AX = ViewZ.x; #declare AY = ViewZ.y; #declare AZ = ViewZ.z; #declare A0 = vdot(C0, ViewZ);
  background { rgb 1 }
  object { Buoy(0) pigment { function { (x*AX + y*AY + z*AZ - A0)/20 } color_map { [0 rgb 0] [1 rgb 1] } } finish { ambient 0 diffuse 0 emission 1 } }
#end
#if (Part = 5)
  sky_sphere { pigment { gradient y color_map { [0 rgb <0.60, 0.63, 0.66>] [0.3 rgb <0.34, 0.44, 0.58>] } }
    pigment { bozo turbulence 0.8 octaves 7 omega 0.58 scale <0.35, 0.10, 0.35> translate 5 color_map { [0.3 rgbt <1, 1, 1, 1>] [0.55 rgbt <0.84, 0.84, 0.82, 0.2>] [1 rgbt <0.45, 0.47, 0.5, 0.1>] } } }
  light_source { SunDir*9000, rgb <1.5, 1.3, 1.0>*1.6 }
  light_source { <0, 9000, 4000>, rgb <0.3, 0.4, 0.5> shadowless }
  #local S = seed(7); #local K = 0;
  #while (K < 130)
    #local D = 300 + 3200*pow(rand(S), 1.3); #local X = (rand(S)-0.5)*D*2.6; #local F = min(1, D/3400);
    #local H = (16 + 90*rand(S)*rand(S))*(0.5 + D/2200);
    sphere { 0, 1 scale <H*(1.8+rand(S)*2.4), H, H> translate <X, -4, -D>
      texture { pigment { average pigment_map { [1-F*0.75 granite scale 9 color_map { [0 rgb <0.03, 0.045, 0.03>] [0.5 rgb <0.10, 0.13, 0.08>] [1 rgb <0.33, 0.30, 0.22>] }] [F*0.75+0.02 color rgb <0.36, 0.43, 0.52>] } } normal { granite 0.6 scale 12 } finish { ambient 0.06 diffuse 0.8 } } }
    #local K = K + 1;
  #end
  plane { y, 0 texture { pigment { bozo turbulence 0.5 scale <80, 1, 14> color_map { [0 rgb <0.10, 0.14, 0.17>] [1 rgb <0.30, 0.35, 0.38>] } } normal { bumps 0.3 scale <9, 1, 3> } finish { ambient 0.12 diffuse 0.7 } } }
#end
#if (Part = 6) plane { z, 0 texture { Planks } } #end
#if (Part = 7) plane { y, 0 texture { Concrete } } #end

// Ticket window: a figure behind a counter talks and moves the hands; busy shelves behind. 96 frames at 24 frames/s.
#ifndef (TIME) #declare TIME = clock; #end
#declare T = TIME;
#declare clock_water = 0;
#declare Cam_At = <0.10, 1.46, 0>;
#declare Cam_To = <0.02, 1.36, 2.1>;
#declare Focal_Length = 0.04;
#declare Near = 0.9;
#include "common.inc"
#if (Lit)
  light_source { <-1.6, 2.6, 0.5> rgb <1, 0.74, 0.48> * 0.85 }
  light_source { <2.4, 2.0, 0.2> rgb <0.25, 0.32, 0.55> * 0.7 shadowless }
  light_source { <0.2, 2.5, 3.2> rgb <1, 0.6, 0.3> * 0.8 fade_distance 1 fade_power 2 shadowless }
#end
#declare Skin = texture { pigment { rgb <0.58, 0.36, 0.25> } finish { ambient 0 diffuse 0.85 specular 0.12 roughness 0.08 } }
#declare Hair = texture { pigment { rgb <0.05, 0.03, 0.02> } finish { ambient 0 diffuse 0.8 specular 0.3 roughness 0.06 } normal { bumps 0.4 scale <0.01, 0.06, 0.01> } }
// The counter and the window's frame.
Place(union { box { <-1.6, 0.9, 1.35>, <1.6, 0.96, 1.85> } box { <-1.6, 0, 1.42>, <1.6, 0.9, 1.5> } Paint(Old_Wood) })
Place(union { box { <-1.02, 0.9, 1.5>, <-0.94, 2.4, 1.58> } box { <0.94, 0.9, 1.5>, <1.02, 2.4, 1.58> } box { <-1.1, 2.12, 1.49>, <1.1, 2.2, 1.59> } Paint(Old_Wood) })
// Shelves full of ticket rolls, parcels, lanterns and papers.
#declare Rw = seed(3);
Place(box { <-3, 0, 3.75>, <3, 3, 3.8> Paint(texture { pigment { rgb <0.16, 0.17, 0.15> } finish { ambient 0 diffuse 0.85 } }) })
#local R = 0;
#while (R < 5)
  Place(box { <-2.4, 0.55 + R * 0.43, 3.3>, <2.4, 0.58 + R * 0.43, 3.75> Paint(Old_Wood) })
  #local X = -2.3;
  #while (X < 2.3)
    #local Kd = floor(rand(Rw) * 4); #local Wd = 0.08 + 0.1 * rand(Rw); #local Ht = 0.12 + 0.22 * rand(Rw);
    #local Cw = texture { pigment { rgb <0.12 + 0.5 * rand(Rw), 0.10 + 0.34 * rand(Rw), 0.07 + 0.3 * rand(Rw)> } finish { ambient 0 diffuse 0.8 specular 0.1 } }
    #local P = <X, 0.58 + R * 0.43, 3.42 + 0.15 * rand(Rw)>;
    #switch (Kd)
      #case (0) Place(box { P, P + <Wd, Ht, 0.2> Paint(Cw) }) #break
      #case (1) Place(cylinder { P + <Wd / 2, 0, 0.1>, P + <Wd / 2, Ht * 0.7, 0.1>, Wd / 2 Paint(Cw) }) #break
      #case (2) Place(union { #local J = 0; #while (J < 4) box { P + <J * Wd / 4, 0, 0>, P + <(J + 0.85) * Wd / 4, Ht - 0.02 * J, 0.18> } #local J = J + 1; #end Paint(Cw) }) #break
      #else Place(sphere { P + <Wd / 2, Wd / 2, 0.1>, Wd / 2 Paint(Cw) })
    #end
    #local X = X + Wd + 0.02 + 0.04 * rand(Rw);
  #end
  #local R = R + 1;
#end
#local I = 0;
#while (I < 6) Lantern(<-1.9 + I * 0.76, 2.28 - 0.05 * mod(I, 2), 2.9>, 0.09, rgb <1, 0.6 + 0.06 * sin(I * 2), 0.26>, 0) #local I = I + 1; #end
// The clerk. Talks, nods, gestures; mostly still.
#declare Nod = 3.5 * sin(T * 2.1) + 2 * sin(T * 3.7 + 1);
#declare Yaw = 9 * sin(T * 0.9);
#declare Mouth = 0.007 + 0.010 * abs(sin(T * 7.5)) * (0.5 + 0.5 * sin(T * 1.3));
#declare Lean = 0.012 * sin(T * 1.1);
#declare Hl = <-0.27 + 0.05 * sin(T * 1.7), 1.08 + 0.09 * max(0, sin(T * 1.35)), 1.78 - 0.07 * sin(T * 1.7)>;
#declare Hr = <0.27 + 0.07 * sin(T * 1.2 + 2), 1.06 + 0.15 * max(0, sin(T * 1.05 + 1.2)), 1.80 - 0.05 * sin(T * 1.9)>;
#declare Elbow_L = Joint(<-0.22 + Lean, 1.40, 2.12>, Hl, <-0.8, -0.6, 0.3>, 0.29, 0.27);
#declare Elbow_R = Joint(<0.22 + Lean, 1.40, 2.12>, Hr, <0.8, -0.6, 0.3>, 0.29, 0.27);
#macro Hand(P, Side)
  union { sphere { 0, 0.047 scale <0.85, 0.75, 1.15> translate P }
    #local J = 0; #while (J < 4) sphere_sweep { linear_spline 2, P + <-0.03 + J * 0.02, 0.005, -0.035>, 0.0125, P + <-0.036 + J * 0.024, 0.012, -0.10 + 0.008 * abs(J - 1.5)>, 0.0105 } #local J = J + 1; #end
    sphere_sweep { linear_spline 2, P + <-0.035 * Side, 0, -0.01>, 0.014, P + <-0.062 * Side, 0.015, -0.055>, 0.011 } Paint(Skin) }
#end
Star(union {
  // Torso in a dark-blue jacket, shirt, scarf.
  union {
    blob { threshold 0.5
      cylinder { <Lean * 0.4, 0.85, 2.16>, <Lean, 1.30, 2.15>, 0.36, 1 scale <1, 1, 1> }
      cylinder { <-0.17 + Lean, 1.40, 2.13>, <0.17 + Lean, 1.40, 2.13>, 0.17, 1 }
      sphere { <0.21 + Lean, 1.385, 2.12>, 0.17, 0.8 } sphere { <-0.21 + Lean, 1.385, 2.12>, 0.17, 0.8 } }
    sphere_sweep { linear_spline 3, <-0.22 + Lean, 1.39, 2.12>, 0.085, Elbow_L, 0.07, Hl + <0, 0, 0.07>, 0.05 }
    sphere_sweep { linear_spline 3, <0.22 + Lean, 1.39, 2.12>, 0.085, Elbow_R, 0.07, Hr + <0, 0, 0.07>, 0.05 }
    Paint(Cloth(<0.055, 0.10, 0.19>)) }
  union { sphere_sweep { cubic_spline 6, <-0.11 + Lean, 1.5, 2.2>, 0.04, <-0.1 + Lean, 1.48, 2.09>, 0.042, <0 + Lean, 1.455, 2.015>, 0.045, <0.1 + Lean, 1.48, 2.09>, 0.042, <0.09 + Lean, 1.5, 2.2>, 0.04, <0 + Lean, 1.52, 2.26>, 0.04 }
    sphere_sweep { linear_spline 3, <0.03 + Lean, 1.44, 2.0>, 0.04, <0.05 + Lean, 1.33, 1.975>, 0.042, <0.055 + Lean, 1.2, 1.97>, 0.035 } Paint(Cloth(<0.52, 0.12, 0.06>)) }
  object { Hand(Hl, -1) } object { Hand(Hr, 1) }
  // Head.
  union {
    union {
      sphere { 0, 0.105 scale <0.86, 1.16, 1> translate <0, 0.02, 0> }
      sphere { 0, 0.07 scale <0.95, 0.9, 1> translate <0, -0.075, -0.022> }
      cylinder { <0, -0.22, 0.015>, <0, -0.04, 0.01>, 0.055 }
      sphere { 0, 0.018 scale <0.9, 1.5, 1.2> translate <0, -0.012, -0.107> } sphere { <0, -0.03, -0.112>, 0.0165 }
      sphere { 0, 0.028 scale <0.4, 1, 0.7> translate <-0.092, -0.005, 0.005> } sphere { 0, 0.028 scale <0.4, 1, 0.7> translate <0.092, -0.005, 0.005> }
      Paint(Skin) }
    union { sphere { 0, 1 scale <0.026, Mouth, 0.012> translate <0, -0.078, -0.091> } Paint(texture { pigment { rgb <0.22, 0.05, 0.05> } finish { ambient 0 diffuse 0.8 } }) }
    union { sphere { 0, 1 scale <0.017, 0.0095, 0.01> translate <-0.036, 0.018, -0.093> } sphere { 0, 1 scale <0.017, 0.0095, 0.01> translate <0.036, 0.018, -0.093> } Paint(texture { pigment { rgb 0.75 } finish { ambient 0 diffuse 0.8 specular 0.5 } }) }
    union { sphere { <-0.036, 0.018, -0.1>, 0.0075 } sphere { <0.036, 0.018, -0.1>, 0.0075 }
      sphere_sweep { linear_spline 2, <-0.057, 0.042, -0.088>, 0.005, <-0.018, 0.046, -0.1>, 0.006 } sphere_sweep { linear_spline 2, <0.057, 0.042, -0.088>, 0.005, <0.018, 0.046, -0.1>, 0.006 } Paint(Hair) }
    union { difference { sphere { 0, 0.116 scale <0.9, 1.13, 1.04> translate <0, 0.034, 0.014> } box { <-0.2, -0.3, -0.3>, <0.2, 0.055, -0.02> } box { <-0.2, -0.3, -0.2>, <0.2, -0.06, 0.3> } } Paint(Hair) }
    union { cylinder { <0, 0.085, 0.005>, <0, 0.15, 0.012>, 0.105 } sphere { 0, 0.107 scale <1, 0.35, 1> translate <0, 0.148, 0.012> } cylinder { <0, 0.082, -0.055>, <0, 0.092, -0.055>, 0.095 } Paint(Cloth(<0.045, 0.075, 0.14>)) }
    rotate x * Nod rotate y * Yaw translate <Lean * 1.4, 1.665, 2.13> } })
// On the counter: a stack of tickets, a bell, a lamp.
Place(union { #local I = 0; #while (I < 9) box { <-0.62, 0.96 + I * 0.008, 1.5>, <-0.46 + 0.012 * mod(I, 2), 0.967 + I * 0.008, 1.59> } #local I = I + 1; #end Paint(texture { pigment { rgb <0.58, 0.48, 0.33> } finish { ambient 0 diffuse 0.85 } }) })
Place(union { sphere { 0, 0.06 scale <1, 0.7, 1> translate <0.58, 0.98, 1.55> } sphere { <0.58, 1.03, 1.55>, 0.012 } Paint(texture { pigment { rgb <0.45, 0.31, 0.12> } finish { ambient 0 diffuse 0.4 specular 0.9 roughness 0.012 reflection 0.2 } }) })

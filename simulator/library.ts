// The Floe that is simulated: all public entries as one object, so that a program can be run on several builds of it.
import * as core from 'floe';
import * as entities from 'floe/entities';
import * as places from 'floe/location';
import * as persist from 'floe/persist';
import * as testing from 'floe/testing';
import * as trace from 'floe/trace';

export const library = { ...core, ...entities, ...places, ...persist, ...testing, ...trace };

export type Library = typeof library;
